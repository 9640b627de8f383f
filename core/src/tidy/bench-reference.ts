import { checkpoint, type RunContext } from '../context'
import { GeometryError } from '../errors'
import { KdTree } from '../spatial/kd-tree'
import type { PointCloud } from '../shapes'

export interface ReferenceOptions {
  /** A point this near the empty bench's surface is the bench's, mm. */
  readonly withinMm: number
  /** Between neighbours of the empty bench, mm. */
  readonly spacingMm: number
}

/** Neighbours of the bench's surface lie within this many spacings beside a point. */
const BESIDE_SPACINGS = 2.5

/**
 * What of a take was there before the piece came: points that lie on the surface of the empty bench, taken with the
 * same device in the same place.
 * The distance is to the tangent plane of the nearest point, so that the bench's spacing does not matter. Returns 1 for
 * points of the bench.
 * @param bench with normals
 */
export function onBench(
  take: PointCloud,
  bench: PointCloud & { readonly normals: Float32Array },
  options: ReferenceOptions,
  context: RunContext,
): Uint8Array {
  if (!(options.withinMm > 0))
    throw new GeometryError('PARAMS', `The bench must reach farther than 0 mm, not ${options.withinMm}.`)
  const { positions: p } = take
  const n = p.length / 3
  const mask = new Uint8Array(n)
  const tree = new KdTree(bench.positions)
  const reach = Math.hypot(BESIDE_SPACINGS * options.spacingMm, options.withinMm)
  for (let i = 0, k = 0; i < n; i++, k += 3) {
    if ((i & 8191) === 0) checkpoint(context, i, n, 'Comparing with the empty bench')
    const j = tree.nearest(p[k], p[k + 1], p[k + 2], reach * reach) * 3
    if (j < 0) continue
    const away =
      bench.normals[j] * (p[k] - bench.positions[j]) +
      bench.normals[j + 1] * (p[k + 1] - bench.positions[j + 1]) +
      bench.normals[j + 2] * (p[k + 2] - bench.positions[j + 2])
    if (Math.abs(away) <= options.withinMm) mask[i] = 1
  }
  return mask
}
