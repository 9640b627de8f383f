import type { MeshPlane, Place } from './desk'

interface Box {
  readonly min: readonly number[]
  readonly max: readonly number[]
}

/** A plane so deep inside the box round the skin, facing what stays. */
export function planeAt({ min, max }: Box, normal: readonly [number, number, number], depthMm: number): MeshPlane {
  const c = normal.findIndex((v) => v !== 0)
  return { normal, offsetMm: normal[c] > 0 ? min[c] + depthMm : -(max[c] - depthMm) }
}

/** Whether all of a box lies on one side of a plane; a plane that says nothing is for others to refuse. */
export function missesBox({ min, max }: Box, { normal, offsetMm }: { normal?: unknown; offsetMm?: unknown }): boolean {
  if (!Array.isArray(normal) || normal.length !== 3) return false
  const n = normal.map(Number)
  const at = Number(offsetMm) * Math.hypot(...n)
  const low = n.reduce((s, v, c) => s + v * (v > 0 ? min[c] : max[c]), 0),
    high = n.reduce((s, v, c) => s + v * (v > 0 ? max[c] : min[c]), 0)
  return at <= low || at >= high
}

/** The plane through three places, so that the middle of the box stays. @throws where they lie in one line */
export function planeThrough([a, b, c]: readonly Place[], { min, max }: Box): MeshPlane {
  const u = b.map((v, k) => v - a[k]),
    w = c.map((v, k) => v - a[k])
  const cross = [0, 1, 2].map((k) => u[(k + 1) % 3] * w[(k + 2) % 3] - u[(k + 2) % 3] * w[(k + 1) % 3])
  const length = Math.hypot(...cross)
  if (!(length > 1e-6 * Math.hypot(...u) * Math.hypot(...w)))
    throw new Error('The three spots lie in one line; no plane is told by them.')
  const middle = min.map((v, k) => (v + max[k]) / 2)
  const side = cross.reduce((s, v, k) => s + v * (middle[k] - a[k]), 0) < 0 ? -1 : 1
  const normal = cross.map((v) => (side * v) / length) as [number, number, number]
  return { normal, offsetMm: normal.reduce((s, v, k) => s + v * a[k], 0) }
}
