import type { Facets } from '../mesh/facets'
import type { TriangleMesh } from '../shapes'

/** Faces beside each face: those that share a corner with it, in one list with where each one's begin. */
export interface FaceNeighbours {
  readonly start: Int32Array
  readonly items: Int32Array
}

export function faceNeighbours({ positions, indices }: Pick<TriangleMesh, 'positions' | 'indices'>): FaceNeighbours {
  const points = positions.length / 3,
    faces = indices.length / 3
  const begin = new Int32Array(points + 1)
  for (const v of indices) begin[v + 1]++
  for (let v = 0; v < points; v++) begin[v + 1] += begin[v]
  const round = new Int32Array(indices.length)
  const at = begin.slice()
  for (let h = 0; h < indices.length; h++) round[at[indices[h]]++] = Math.floor(h / 3)
  const start = new Int32Array(faces + 1)
  let items = new Int32Array(faces * 14)
  const met = new Int32Array(faces).fill(-1)
  let n = 0
  for (let f = 0; f < faces; f++) {
    start[f] = n
    met[f] = f
    for (let c = 0; c < 3; c++) {
      const v = indices[f * 3 + c]
      for (let k = begin[v]; k < begin[v + 1]; k++) {
        const g = round[k]
        if (met[g] === f) continue
        met[g] = f
        if (n === items.length) {
          const more = new Int32Array(items.length * 2)
          more.set(items)
          items = more
        }
        items[n++] = g
      }
    }
  }
  start[faces] = n
  return { start, items: items.slice(0, n) }
}

/** Normals differ by this (length of their difference) at one standard deviation: about 20°. */
const RANGE = 0.35

/**
 * Normals of faces as they are without their noise: each the mean of those round it, weighted by area, by nearness, and
 * by how alike they are, so that no mean is taken across an edge (Zheng, Fu, Au and Tai 2011, "Bilateral normal filtering
 * for mesh denoising").
 */
export function filterNormals(
  { normals, middles, areas }: Facets,
  { start, items }: FaceNeighbours,
  rounds: number,
): Float64Array {
  const faces = areas.length
  let sum = 0
  for (let f = 0; f < faces; f++)
    for (let k = start[f]; k < start[f + 1]; k++) {
      const g = items[k]
      sum += Math.hypot(
        middles[f * 3] - middles[g * 3],
        middles[f * 3 + 1] - middles[g * 3 + 1],
        middles[f * 3 + 2] - middles[g * 3 + 2],
      )
    }
  const near = sum / Math.max(1, items.length)
  let from = normals
  for (let round = 0; round < rounds; round++) {
    const to = new Float64Array(from.length)
    for (let f = 0; f < faces; f++) {
      const x = from[f * 3],
        y = from[f * 3 + 1],
        z = from[f * 3 + 2]
      let sx = areas[f] * x,
        sy = areas[f] * y,
        sz = areas[f] * z
      for (let k = start[f]; k < start[f + 1]; k++) {
        const g = items[k] * 3
        const ux = from[g],
          uy = from[g + 1],
          uz = from[g + 2]
        const unlike = (ux - x) ** 2 + (uy - y) ** 2 + (uz - z) ** 2
        const away =
          (middles[g] - middles[f * 3]) ** 2 +
          (middles[g + 1] - middles[f * 3 + 1]) ** 2 +
          (middles[g + 2] - middles[f * 3 + 2]) ** 2
        const w = areas[items[k]] * Math.exp(-unlike / (2 * RANGE * RANGE) - away / (2 * near * near || 1))
        sx += w * ux
        sy += w * uy
        sz += w * uz
      }
      const l = Math.sqrt(sx * sx + sy * sy + sz * sz) || 1
      to[f * 3] = sx / l
      to[f * 3 + 1] = sy / l
      to[f * 3 + 2] = sz / l
    }
    from = to
  }
  return from
}
