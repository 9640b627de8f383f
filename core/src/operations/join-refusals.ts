import { GeometryError } from '../errors'
import type { PointCloud } from '../shapes'

/* What takes are not joined for: slips that a join would hide. */

/** The very same points twice join perfectly and say nothing. */
export function refuseTwins(clouds: readonly PointCloud[], names: readonly string[]): void {
  for (let i = 0; i < clouds.length; i++)
    for (let j = 0; j < i; j++) {
      const a = clouds[i].positions,
        b = clouds[j].positions
      if (a.length === b.length && a.length > 0 && a.every((v, k) => v === b[k]))
        throw new GeometryError(
          'PARAMS',
          `“${names[j]}” and “${names[i]}” hold the very same points: the same file twice. Leave one of them out.`,
        )
    }
}

/**
 * Units that files are mixed up in, as ratios; a take of a detail may well be ten times smaller than one of the whole,
 * so that cm are not told from it.
 */
const SLIPS: readonly [number, string][] = [
  [25.4, 'one is in inches, the other in mm'],
  [1000, 'one is in m, the other in mm'],
  [100, 'one is in m, the other in cm'],
]
const SLIP_LIKE = 0.3

/** A take many times as large as another is in another unit. */
export function refuseUnitSlip(clouds: readonly PointCloud[], names: readonly string[]): void {
  const sizes = clouds.map((c) => {
    const low = [Infinity, Infinity, Infinity],
      high = [-Infinity, -Infinity, -Infinity]
    for (let i = 0; i < c.positions.length; i++) {
      low[i % 3] = Math.min(low[i % 3], c.positions[i])
      high[i % 3] = Math.max(high[i % 3], c.positions[i])
    }
    return Math.hypot(...low.map((l, k) => high[k] - l))
  })
  const large = sizes.indexOf(Math.max(...sizes)),
    small = sizes.indexOf(Math.min(...sizes))
  const ratio = sizes[large] / sizes[small]
  const slip = SLIPS.find(([r]) => Math.abs(Math.log(ratio / r)) < SLIP_LIKE)
  if (slip)
    throw new GeometryError(
      'PARAMS',
      `“${names[large]}” is ${ratio.toFixed(0)} times as large as “${names[small]}”: probably ` +
        `${slip[1]}. Set the unit of one of them when it is read.`,
    )
}
