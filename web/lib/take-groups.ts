import type { TakeState } from '@holosoma/engine'

/** Takes side by side on the contact sheet: alone, or those of one pose. */
export interface TakeGroup {
  /** null: a take that stands alone. */
  readonly pose: string | null
  readonly takes: readonly TakeState[]
}

/** Fewer takes of a pose stand for themselves. */
const MIN_GROUP = 3

/** Takes as the contact sheet shows them: three and more of one pose are one group, where the first of them stands. */
export function groupedByPose(takes: readonly TakeState[]): TakeGroup[] {
  const byPose = new Map<string, TakeState[]>()
  for (const t of takes) if (t.pose !== '') byPose.set(t.pose, [...(byPose.get(t.pose) ?? []), t])
  return takes.flatMap((take): TakeGroup[] => {
    const group = byPose.get(take.pose) ?? []
    if (group.length < MIN_GROUP) return [{ pose: null, takes: [take] }]
    return group[0] === take ? [{ pose: take.pose, takes: group }] : []
  })
}
