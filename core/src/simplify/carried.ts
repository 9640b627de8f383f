import type { TriangleMesh } from '../shapes'
import { closestOnTriangle } from '../spatial/closest-on-triangle'
import { TriangleBvh } from '../spatial/triangle-bvh'

/**
 * How far the points of a mesh lie from the one it became, mm: exactly for the farthest, and for every point farther
 * than a limit; else at most. A point is near the faces round the one it was merged into, which bounds its distance: only those that might
 * be farther than what was found so far are sought all over.
 * @param became for each point of the mesh, the point of the other it was merged into
 */
export function carriedMm(
  from: Pick<TriangleMesh, 'positions'>,
  to: TriangleMesh,
  became: Int32Array,
  limitMm: number,
): { readonly mostMm: number; readonly beyond: Int32Array } {
  const points = from.positions.length / 3
  const bound2 = nearRing(from.positions, to, became)
  const limit2 = limitMm * limitMm
  const bvh = new TriangleBvh(to)
  const { positions: p } = from
  let most2 = 0
  const beyond: number[] = []
  for (let v = 0; v < points; v++) {
    if (bound2[v] <= most2 && bound2[v] <= limit2) continue
    const found = bvh.closest(p[v * 3], p[v * 3 + 1], p[v * 3 + 2], bound2[v] * (1 + 1e-9))
    const d2 = found ? bvh.result.distance2 : bound2[v]
    if (d2 > most2) most2 = d2
    if (d2 > limit2) beyond.push(v)
  }
  return { mostMm: Math.sqrt(most2), beyond: Int32Array.from(beyond) }
}

/** Squared distance of each point to the faces round the one it became. */
function nearRing(p: Float32Array, to: TriangleMesh, became: Int32Array): Float64Array {
  const { indices, positions: q } = to
  const start = new Int32Array(q.length / 3 + 1)
  for (const v of indices) start[v + 1]++
  for (let v = 0; v + 1 < start.length; v++) start[v + 1] += start[v]
  const faces = new Int32Array(indices.length)
  const at = start.slice()
  for (let h = 0; h < indices.length; h++) faces[at[indices[h]]++] = h - (h % 3)
  const out = new Float64Array(became.length)
  const near = new Float64Array(2)
  for (let v = 0; v < became.length; v++) {
    const w = became[v]
    const x = p[v * 3],
      y = p[v * 3 + 1],
      z = p[v * 3 + 2]
    let least = Infinity
    for (let k = start[w]; k < start[w + 1]; k++) {
      const f = faces[k]
      const d2 = closestOnTriangle(q, indices[f] * 3, indices[f + 1] * 3, indices[f + 2] * 3, x, y, z, near)
      if (d2 < least) least = d2
    }
    out[v] = least
  }
  return out
}
