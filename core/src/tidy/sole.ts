import { checkpoint, type RunContext } from '../context'
import { KdTree } from '../spatial/kd-tree'
import type { PointCloud } from '../shapes'

/** What would be lost for good with some points of a take. */
export interface SoleSurface {
  /** Points among them that were seen well. */
  readonly seenWell: number
  /** Of those, the ones no other take has. */
  readonly sole: number
  /** 1 where the point is seen well and no other take has its place. */
  readonly mask: Uint8Array
}

/** Another take has a place when it has a point within this many spacings. */
const NEAR_SPACINGS = 3
/** Seen well: no flatter than this to the device. */
const WELL_COS = Math.cos((60 * Math.PI) / 180)

/**
 * Well-seen surface among points about to go that no other take has.
 * @param cut the points, in the common frame, with normals and frame origins where known; without, every point counts
 * as seen well
 * @param others the other takes in the same frame
 * @param spacingMm the coarser spacing of the takes
 */
export function soleSurface(
  cut: PointCloud,
  others: readonly Pick<PointCloud, 'positions'>[],
  spacingMm: number,
  context: RunContext,
): SoleSurface {
  const { positions: p } = cut
  const n = p.length / 3
  const mask = new Uint8Array(n)
  const trees = others.map((o) => new KdTree(o.positions))
  const limit = (NEAR_SPACINGS * spacingMm) ** 2
  let seenWell = 0,
    sole = 0
  for (let i = 0, k = 0; i < n; i++, k += 3) {
    if ((i & 8191) === 0) checkpoint(context, i, n, 'Looking whether another take has this')
    if (!wellSeen(cut, i)) continue
    seenWell++
    if (trees.some((t) => t.nearest(p[k], p[k + 1], p[k + 2], limit) >= 0)) continue
    mask[i] = 1
    sole++
  }
  return { seenWell, sole, mask }
}

function wellSeen({ positions: p, normals: q, frame, frameOrigins: o }: PointCloud, i: number): boolean {
  if (!q || !frame || !o) return true
  const k = i * 3,
    f = frame[i] * 3
  const x = o[f] - p[k],
    y = o[f + 1] - p[k + 1],
    z = o[f + 2] - p[k + 2]
  return Math.abs(x * q[k] + y * q[k + 1] + z * q[k + 2]) >= WELL_COS * Math.hypot(x, y, z)
}
