import { identityMotion, type Motion } from '../../linear/rigid'
import { median } from '../../linear/samples'
import { indicesWhere } from '../../shapes'
import { ALONG, noPairs, PAIR_SIZE, pairDirection } from '../least-squares/directed-pairs'
import type { OrientedCloud } from '../oriented-cloud'

/* What is expected of the frames of a take before they are matched, mm and radians. */

export interface TablePriors {
  /** The angle of a table may slip. */
  readonly slipRad: number
  /** Its other freedoms only shake. */
  readonly shakeRad: number
  readonly shakeMm: number
  /** The axis all frames share may lie a little beside where it was measured, and lean. */
  readonly axisMm: number
  readonly axisRad: number
}

const TABLE: TablePriors = { slipRad: 0.03, shakeRad: 3e-4, shakeMm: 0.03, axisMm: 0.1, axisRad: 2e-3 }
/** A device in the hand errs in all. */
export const FREE_PRIORS = { rad: 0.02, mm: 2 } as const

/** A slip shows along the surface's normal by a part of what it moves. */
const SHOWN = 6
/** Even frames in place are allowed this share of what is expected. */
const MIN_SHARE = 0.1

/**
 * How far what a table knows may be off, from how far its frames stand apart at the piece's radius. Where they do not,
 * they stay where the table says:
 * the flat faces of a bar, say, would let them slide at no cost, and the little their noisy normals seem to know
 * (errors in variables: Fuller 1987, "Measurement error models") would carry them off.
 */
export function tablePriors(apartMm: number, radiusMm: number): TablePriors {
  const share = (usual: number, shown: number): number => Math.min(usual, Math.max(MIN_SHARE * usual, shown))
  const mm = SHOWN * apartMm,
    rad = mm / Math.max(radiusMm, 1e-6)
  return {
    slipRad: Math.min(TABLE.slipRad, Math.max(MIN_SHARE * TABLE.shakeRad, rad)),
    shakeRad: share(TABLE.shakeRad, rad),
    shakeMm: share(TABLE.shakeMm, mm),
    axisMm: share(TABLE.axisMm, mm),
    axisRad: share(TABLE.axisRad, rad),
  }
}

/**
 * Places two frames must share before their distance says anything, those that are looked at, and how much farther
 * apart than scatter is no chance.
 */
const MIN_MET = 120
const LOOKED_AT = 400
const CHANCE = 1.3
const BEST = 1.15

type Lying = Pick<OrientedCloud, 'positions' | 'features' | 'tree'>

/**
 * Scatter of each pair of frames that share enough surface, mm, least first; frames as they lie, or where motions put
 * them.
 */
export function pairScatters(frames: readonly Lying[], spacingMm: number, motions?: readonly Motion[]): number[] {
  const still = identityMotion(),
    zero = [0, 0, 0]
  const reach = 2.5 * spacingMm + 3 * scatterOf(frames)
  const samples = frames.map(({ features }) => {
    const inner = indicesWhere(features.boundary, 0)
    const step = Math.max(1, inner.length / LOOKED_AT)
    return Int32Array.from({ length: Math.floor(inner.length / step) }, (_, k) => inner[Math.floor(k * step)])
  })
  const scatters: number[] = []
  for (let a = 0; a < frames.length; a++)
    for (let b = a + 1; b < frames.length; b++) {
      if (samples[a].length < MIN_MET) continue
      const d = noPairs(samples[a])
      pairDirection(
        d,
        frames[a] as OrientedCloud,
        frames[b] as OrientedCloud,
        motions?.[a] ?? still,
        motions?.[b] ?? still,
        reach,
        zero,
        0,
      )
      if (d.count >= MIN_MET)
        scatters.push(
          1.4826 * median(Float64Array.from({ length: d.count }, (_, k) => Math.abs(d.pair[k * PAIR_SIZE + ALONG]))),
        )
    }
  return scatters.sort((p, q) => p - q)
}

/** Of two surfaces that lie on each other, mm. */
const scatterOf = (frames: readonly Lying[]): number =>
  Math.SQRT2 * median(Float64Array.from(frames, (f) => f.features.noiseMm))

const quantile = (sorted: readonly number[], share: number): number => sorted[Math.floor(share * sorted.length)] ?? 0

/**
 * How much farther the worst tenth of frames that share surface stand apart than scatter explains, mm. What scatter
 * explains is read off the frames themselves and off the tenth of pairs that fit best, whichever says less.
 */
export function framesApart(frames: readonly Lying[], scatters: readonly number[]): number {
  return Math.sqrt(
    Math.max(
      0,
      quantile(scatters, 0.9) ** 2 - (CHANCE * Math.min(scatterOf(frames), BEST * quantile(scatters, 0.1))) ** 2,
    ),
  )
}

/**
 * Matching that brings the worst tenth no nearer than this share of what it was has found nothing, and may have lost
 * something.
 */
const WORTH = 0.9

/** Whether nine in ten of the residuals shrank by a tenth or more. @param before,after matching, mm */
export const isWorthIt = (before: readonly number[], after: readonly number[]): boolean =>
  after.length > 0 && quantile(after, 0.9) <= WORTH * quantile(before, 0.9)
