import type { Bounds } from '../shapes'
import type { Implicit } from './implicit'

/**
 * Distance along a ray to the piece, Infinity when it passes by; nothing is looked for nearer than `from`. Sphere
 * tracing (Hart 1996) inside the piece's box.
 */
export function traceRay(
  field: Implicit,
  box: Bounds,
  ox: number,
  oy: number,
  oz: number,
  x: number,
  y: number,
  z: number,
  limit: number,
  from = 0,
): number {
  let t = from
  let end = limit
  for (let c = 0; c < 3; c++) {
    const o = c === 0 ? ox : c === 1 ? oy : oz
    const d = c === 0 ? x : c === 1 ? y : z
    const a = (box.min[c] - o) / d
    const b = (box.max[c] - o) / d
    t = Math.max(t, Math.min(a, b))
    end = Math.min(end, Math.max(a, b))
  }
  for (let step = 0; step < 200 && t < end; step++) {
    const f = field(ox + t * x, oy + t * y, oz + t * z)
    // A start inside the piece is behind its surface: the ray has met it before.
    if (step === 0 && f < 0 && from > 0) return traceRay(field, box, ox, oy, oz, x, y, z, limit)
    if (f < 2e-4) return t
    t += f * 0.9
  }
  return Infinity
}

/**
 * Distance along a ray to an upright cylinder about z, standing on z = 0; Infinity when it passes by or starts inside.
 */
export function traceCylinder(
  radius: number,
  top: number,
  ox: number,
  oy: number,
  oz: number,
  x: number,
  y: number,
  z: number,
): number {
  let best = Infinity
  const a = x * x + y * y
  const b = ox * x + oy * y
  const c = ox * ox + oy * oy - radius * radius
  const d = b * b - a * c
  if (a > 1e-12 && d > 0) {
    const t = (-b - Math.sqrt(d)) / a
    const h = oz + t * z
    if (t > 1e-4 && h >= 0 && h <= top) best = t
  }
  if (z < 0 && oz > top) {
    const t = (top - oz) / z
    const px = ox + t * x,
      py = oy + t * y
    if (t > 1e-4 && px * px + py * py <= radius * radius && t < best) best = t
  }
  return best
}
