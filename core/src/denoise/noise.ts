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

/** How often what points stand off is spread to their neighbours: a place is about so many rings wide. */
const SPREAD_ROUNDS = 8
/** Mean of the absolute values of a normal distribution of deviation 1. */
const MEAN_OFF = Math.sqrt(2 / Math.PI)

/**
 * Noise of a surface, mm: how far points stand over or under the middle of their neighbours, less than what the ring
 * itself stands off (so that a bend says nothing); the median, as of a normal distribution. Noise that is alike at
 * neighbours, as a skin's is, is told too low.
 */
export function noiseOf(mesh: TriangleMesh): number {
  return median(offRings(mesh).filter((d) => !Number.isNaN(d))) / MAD / SPREAD
}

/** The same place by place, mm a point: the mean over some rings round it. Where an edge runs, the edge tells more. */
export function noiseEach(mesh: TriangleMesh): Float32Array {
  const off = offRings(mesh)
  return spreadOver(mesh.indices, off, SPREAD_ROUNDS).map((d) => d / MEAN_OFF / SPREAD)
}

/** Values of points spread over their neighbours so many times; NaN says nothing and gets what lies round it. */
export function spreadOver(indices: Uint32Array, values: Float64Array, rounds: number): Float32Array {
  let from = Float32Array.from(values)
  for (let round = 0; round < rounds; round++) {
    const sum = new Float32Array(from.length),
      count = new Float32Array(from.length)
    const add = (v: number, d: number): void => {
      if (Number.isNaN(d)) return
      sum[v] += d
      count[v]++
    }
    from.forEach((d, v) => add(v, d))
    for (let h = 0; h < indices.length; h++) add(indices[h], from[indices[nextHalf(h)]])
    from = sum.map((s, v) => (count[v] > 0 ? s / count[v] : NaN))
  }
  return from
}

/** How far each point stands off its ring, less the same of the ring, mm; NaN where it has none. */
function offRings(mesh: TriangleMesh): Float64Array {
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
  return off.map((d, v) => (count[v] > 0 ? Math.abs(d - ring[v] / count[v]) : NaN))
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
