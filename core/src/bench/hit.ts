import type { Bounds } from '../shapes'
import type { Implicit } from './implicit'
import { traceRay } from './trace'

/** Where a ray meets a piece; one object serves all rays. */
export interface Hit {
  /** Along the ray, mm; Infinity when it passes by. */
  t: number
  /** The surface's unit normal there. */
  nx: number
  ny: number
  nz: number
}

/** Step of the field's slope. */
const SLOPE_MM = 1e-3
/** A true ray at an outline starts this much before the nearest face of the picture there. */
const OUTLINE_MM = 6
/** What may be left of the field after the last step. */
const LEFT_MM = 2e-3
/** From closer than this one Newton step ends within a hundredth of that: the error goes with the square. */
const CLOSE_MM = 0.02

/**
 * Meets the piece along a ray whose depth map has given a guess: positive, within a hair of the surface; negative, an
 * outline is near; 0, nothing.
 * The guess comes from a coarse mesh whose vertices lie on the true surface: a Newton step along the ray, then secants,
 * lead onto it; where they do not, and at outlines, the ray is traced (Hart 1996).
 */
export function meetPiece(
  field: Implicit,
  box: Bounds,
  guess: number,
  ex: number,
  ey: number,
  ez: number,
  x: number,
  y: number,
  z: number,
  out: Hit,
): void {
  if (guess === 0) {
    out.t = Infinity
    return
  }
  let t: number
  if (guess > 0) {
    const gx = ex + guess * x,
      gy = ey + guess * y,
      gz = ez + guess * z
    const f = field(gx, gy, gz)
    const nx = field(gx + SLOPE_MM, gy, gz) - f,
      ny = field(gx, gy + SLOPE_MM, gz) - f,
      nz = field(gx, gy, gz + SLOPE_MM) - f
    const along = (nx * x + ny * y + nz * z) / SLOPE_MM
    t = guess - f / along
    let left = 0
    if (f > CLOSE_MM || f < -CLOSE_MM || along > -0.2) {
      left = field(ex + t * x, ey + t * y, ez + t * z)
      let before = f,
        beforeT = guess
      // Where the surface bends, the secant goes on from there.
      for (let round = 0; round < 3 && Math.abs(left) > LEFT_MM; round++) {
        const next = t - (left * (t - beforeT)) / (left - before || 1e-12)
        beforeT = t
        before = left
        t = next
        left = field(ex + t * x, ey + t * y, ez + t * z)
      }
    }
    if (along < -0.02 && Math.abs(left) <= LEFT_MM && Math.abs(t - guess) < OUTLINE_MM) {
      const l = 1 / (Math.sqrt(nx * nx + ny * ny + nz * nz) || 1)
      out.t = t - left / along
      out.nx = nx * l
      out.ny = ny * l
      out.nz = nz * l
      return
    }
    t = traceRay(field, box, ex, ey, ez, x, y, z, Infinity, guess - OUTLINE_MM)
  } else t = traceRay(field, box, ex, ey, ez, x, y, z, Infinity, -guess - OUTLINE_MM)
  out.t = t
  if (t === Infinity) return
  const hx = ex + t * x,
    hy = ey + t * y,
    hz = ez + t * z
  const f = field(hx, hy, hz)
  const nx = field(hx + SLOPE_MM, hy, hz) - f,
    ny = field(hx, hy + SLOPE_MM, hz) - f,
    nz = field(hx, hy, hz + SLOPE_MM) - f
  const l = 1 / (Math.sqrt(nx * nx + ny * ny + nz * nz) || 1)
  out.nx = nx * l
  out.ny = ny * l
  out.nz = nz * l
}
