import type { JudgedPair } from './slides'
import { patchesOf } from './shared-surface'

/** Where two takes show the same wall twice. */
export interface DoubleWall {
  readonly a: number
  readonly b: number
  /** Of what the pair shares. */
  readonly share: number
  readonly areaMm2: number
  /** Median distance there, mm. */
  readonly apartMm: number
  /** Middle of the worst patch, common frame. */
  readonly at: readonly [number, number, number]
}

/** A patch stands apart when its mean is this many standard errors off, beyond what its places' scatter explains. */
const SURE = 4

/**
 * Patches of shared surface where the takes stand farther apart than `toleranceMm`, surely.
 * Standard errors carry the pair's correlation; of many patches only those count that are far beyond chance (Bonferroni
 * over the patches of a pair).
 */
export function findDoubleWalls(
  pairs: readonly JudgedPair[],
  inflation: readonly number[],
  cellMm: number,
  toleranceMm: number,
): DoubleWall[] {
  return pairs.flatMap(({ a, b, shared }, i) => {
    const patches = patchesOf(shared, cellMm)
    const bad = patches.filter((p) => Math.abs(p.meanMm) > toleranceMm + SURE * p.errorMm * Math.sqrt(inflation[i]))
    if (bad.length === 0) return []
    const places = (list: typeof patches): number => list.reduce((n, p) => n + p.places.length, 0)
    const worst = bad.reduce((x, y) => (Math.abs(y.meanMm) > Math.abs(x.meanMm) ? y : x))
    const at = [0, 1, 2].map(
      (k) => worst.places.reduce((s, j) => s + shared.points[j * 3 + k], 0) / worst.places.length,
    ) as [number, number, number]
    const apart = bad.map((p) => Math.abs(p.meanMm)).sort((x, y) => x - y)
    return [
      {
        a,
        b,
        share: places(bad) / Math.max(1, places(patches)),
        areaMm2: places(bad) * shared.cellMm2,
        apartMm: apart[apart.length >> 1],
        at,
      },
    ]
  })
}
