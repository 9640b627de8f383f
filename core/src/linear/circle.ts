import { solveCholesky } from './cholesky'

/**
 * The circle through points as they are seen along an axis, by algebraic least squares: u² + v² = 2 u₀ u + 2 v₀ v + c
 * (Kåsa 1976, "A circle fitting procedure and its error analysis").
 * @param p places, three numbers a point @param points which of them count
 * @param frame two directions across the axis, as `across` gives them
 * @param weights how much each counts; null: alike
 * @returns its middle along the two directions, and its radius; null where the points lie in a line
 */
export function circleAcross(
  p: Float32Array | Float64Array,
  points: ArrayLike<number>,
  frame: Float64Array,
  weights: Float64Array | null = null,
): { u: number; v: number; radius: number } | null {
  if (points.length < 3) return null
  // About the first point, so that numbers stay small.
  const o = points[0] * 3
  const a = new Float64Array(9),
    g = new Float64Array(3)
  for (let i = 0; i < points.length; i++) {
    const k = points[i] * 3
    const x = p[k] - p[o],
      y = p[k + 1] - p[o + 1],
      z = p[k + 2] - p[o + 2]
    const u = frame[0] * x + frame[1] * y + frame[2] * z,
      v = frame[3] * x + frame[4] * y + frame[5] * z
    const w = weights ? weights[i] : 1
    const q = u * u + v * v
    a[0] += w * u * u
    a[1] += w * u * v
    a[2] += w * u
    a[4] += w * v * v
    a[5] += w * v
    a[8] += w
    g[0] += w * u * q
    g[1] += w * v * q
    g[2] += w * q
  }
  a[3] = a[1]
  a[6] = a[2]
  a[7] = a[5]
  if (!solveCholesky(a, g, g, 3)) return null
  const [u, v] = [g[0] / 2, g[1] / 2]
  return {
    u: u + frame[0] * p[o] + frame[1] * p[o + 1] + frame[2] * p[o + 2],
    v: v + frame[3] * p[o] + frame[4] * p[o + 1] + frame[5] * p[o + 2],
    radius: Math.sqrt(Math.max(0, g[2] + u * u + v * v)),
  }
}
