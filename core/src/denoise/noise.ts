import { median } from '../linear/samples'
import { nextHalf, previousHalf } from '../mesh/half-edges'
import { vertexNormals } from '../mesh/normals'
import type { TriangleMesh } from '../shapes'

/**
 * Of white noise of deviation 1 a point less the middle of its ring, less the same of that ring, has this one: the root
 * of (7/6)² + 6 (5/18)² + 6 (1/18)² + 6 (1/36)² on an even mesh of six neighbours each.
 */
const SPREAD = Math.sqrt((7 / 6) ** 2 + 6 * ((5 / 18) ** 2 + (1 / 18) ** 2 + (1 / 36) ** 2))
/** Median of the absolute values of a normal distribution of deviation 1. */
const MAD = 0.6745

/**
 * Noise of a surface, mm: how far points stand over or under the middle of their neighbours, less than what the ring
 * itself stands off (so that a bend says nothing); the median, as of a normal distribution. Noise that is alike at
 * neighbours, as a skin's is, is told too low.
 */
export function noiseOf(mesh: TriangleMesh): number {
  const { positions: p, indices } = mesh
  const n = p.length / 3
  const middle = ringMiddles(Float64Array.from(p), indices)
  const normals = vertexNormals(mesh)
  const off = new Float64Array(n)
  for (let v = 0; v < n; v++)
    for (let c = 0; c < 3; c++) off[v] += (p[v * 3 + c] - middle[v * 3 + c]) * normals[v * 3 + c]
  const ring = new Float64Array(n),
    count = new Int32Array(n)
  for (let h = 0; h < indices.length; h++) {
    const v = indices[h],
      w = indices[nextHalf(h)]
    ring[v] += off[w]
    count[v]++
  }
  const used = off.map((d, v) => Math.abs(d - ring[v] / (count[v] || 1))).filter((_, v) => count[v] > 0)
  return median(used) / MAD / SPREAD
}

/** Middle of the neighbours of each point, three numbers each; the point itself where it has none. */
export function ringMiddles(p: Float64Array, indices: Uint32Array): Float64Array {
  const sum = new Float64Array(p.length),
    count = new Int32Array(p.length / 3)
  for (let h = 0; h < indices.length; h++) {
    const v = indices[h]
    for (const w of [indices[nextHalf(h)], indices[previousHalf(h)]]) {
      count[v]++
      for (let c = 0; c < 3; c++) sum[v * 3 + c] += p[w * 3 + c]
    }
  }
  for (let i = 0; i < sum.length; i++) {
    const k = count[Math.floor(i / 3)]
    sum[i] = k > 0 ? sum[i] / k : p[i]
  }
  return sum
}
