import type { TakeState } from '@holosoma/engine'

/** Takes side by side on the contact sheet: alone, or those of one pose. */
export interface TakeGroup {
  /** null: a take that stands alone. */
  readonly pose: string | null
  readonly takes: readonly TakeState[]
}

/** What stands for a pose where nobody said how the piece lay: takes that share it need not share a pose. */
export const NO_POSE = 'as imported'

/** The pose of a take, '' where it is not known. */
export const poseOf = ({ pose }: Pick<TakeState, 'pose'>): string => (pose === NO_POSE ? '' : pose)

/** Fewer takes of a pose stand for themselves. */
const MIN_GROUP = 3

/** Takes as the contact sheet shows them: three and more of one pose are one group, where the first of them stands. */
export function groupedByPose(takes: readonly TakeState[]): TakeGroup[] {
  const byPose = new Map<string, TakeState[]>()
  for (const t of takes) {
    const pose = poseOf(t)
    if (pose !== '') byPose.set(pose, [...(byPose.get(pose) ?? []), t])
  }
  return takes.flatMap((take): TakeGroup[] => {
    const group = byPose.get(poseOf(take)) ?? []
    if (group.length < MIN_GROUP) return [{ pose: null, takes: [take] }]
    return group[0] === take ? [{ pose: take.pose, takes: group }] : []
  })
}
