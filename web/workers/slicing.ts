import { medianSpacing } from '@holosoma/core/cloud'
import type { Shape } from '@holosoma/core'

type Rows = readonly (readonly number[])[]

/** Extent of a shape along one axis of the stage, and how far apart its points stand, mm. */
export function spanOf(shape: Shape, rows: Rows, axis: 0 | 1 | 2): { low: number; high: number; spacingMm: number } {
  const [a, b, c, d] = rows[axis] as [number, number, number, number]
  const p = shape.positions
  let low = Infinity,
    high = -Infinity
  for (let i = 0; i < p.length; i += 3) {
    const v = a * p[i] + b * p[i + 1] + c * p[i + 2] + d
    if (v < low) low = v
    if (v > high) high = v
  }
  return { low, high, spacingMm: medianSpacing(shape) }
}

/**
 * Points within `halfMm` of a plane across an axis, flat: the two other axes, so that up is up where z is one of them.
 * n×2.
 */
export function sliceOf(shape: Shape, rows: Rows, axis: 0 | 1 | 2, atMm: number, halfMm: number): Float32Array {
  const [a, b, c, d] = rows[axis] as [number, number, number, number]
  const [u, v] = axis === 0 ? [rows[1], rows[2]] : axis === 1 ? [rows[0], rows[2]] : [rows[0], rows[1]]
  const p = shape.positions
  const out: number[] = []
  for (let i = 0; i < p.length; i += 3) {
    const x = p[i],
      y = p[i + 1],
      z = p[i + 2]
    if (Math.abs(a * x + b * y + c * z + d - atMm) > halfMm) continue
    out.push(u[0] * x + u[1] * y + u[2] * z + u[3], v[0] * x + v[1] * y + v[2] * z + v[3])
  }
  return Float32Array.from(out)
}
