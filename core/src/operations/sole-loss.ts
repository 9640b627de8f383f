import { medianSpacing } from '../cloud/spacing'
import type { RunContext } from '../context'
import { areaText, percent, type Finding } from '../findings'
import { compose, invertRigid, transformPoints, type Motion } from '../linear/rigid'
import { pickPoints, type PointCloud } from '../shapes'
import { soleSurface } from '../tidy/sole'
import type { Motions } from './artefacts'

/** Less than this goes without a word, mm² and share of what was seen well. */
const MIN_MM2 = 25
const MIN_SHARE = 0.02

/** The other takes of a join, each with its motion to the fixed take. */
export interface OtherTakes {
  readonly own: Motion
  readonly others: readonly { readonly cloud: PointCloud; readonly motion: Motion }[]
}

/** Warns when what goes holds well-seen surface that no other joined take has; null where nothing is to be said. */
export function soleLoss(
  take: PointCloud,
  goes: ArrayLike<number>,
  { own, others }: OtherTakes,
  context: RunContext,
): Finding | null {
  if (others.length === 0 || goes.length === 0) return null
  const ownMm = medianSpacing(take)
  const spacing = Math.max(ownMm, ...others.map((o) => medianSpacing(o.cloud)))
  const back = invertRigid(own)
  const laid = others.map((o) => ({ positions: transformPoints(compose(back, o.motion), o.cloud.positions) }))
  const { seenWell, sole } = soleSurface(pickPoints(take, goes), laid, spacing, context)
  const areaMm2 = sole * ownMm ** 2
  if (sole === 0 || areaMm2 < MIN_MM2 || sole < MIN_SHARE * seenWell) return null
  return {
    id: 'tidy.sole',
    verdict: 'doubtful',
    text:
      `About ${areaText(areaMm2)} of this ` +
      `(${percent(sole / Math.max(1, seenWell), 0)} of what is well seen in it) no other take has: ` +
      'without it, that must be invented or taken again.',
    figures: [
      {
        label: 'In no other take',
        value: Math.round(areaMm2) / 100,
        unit: 'cm²',
        rule: 'seen no flatter than 60°, and no point of another joined take within three spacings',
      },
    ],
  }
}

/** The other takes with their motions, where all of them are joined. */
export function othersOf(
  { others: clouds = [], motions: join }: { others?: readonly PointCloud[] | undefined; motions?: Motions | undefined },
  names: readonly string[],
): OtherTakes | null {
  const motions = join?.motions
  if (
    !motions ||
    clouds.length === 0 ||
    names.length !== clouds.length + 1 ||
    names.some((n) => !Object.hasOwn(motions, n))
  )
    return null
  return { own: motions[names[0]], others: clouds.map((cloud, i) => ({ cloud, motion: motions[names[i + 1]] })) }
}
