/** A solid as a signed field: negative inside, millimetres, changing by at most 1 per mm (so rays may step by it). */
export type Implicit = (x: number, y: number, z: number) => number

/** Plain square roots: Math.hypot guards against overflow at ten times the cost, and these loops are all distances. */
export function length2(x: number, y: number): number {
  return Math.sqrt(x * x + y * y)
}

/** Length of a vector; three products are quicker than the general function. */
export function length3(x: number, y: number, z: number): number {
  return Math.sqrt(x * x + y * y + z * z)
}

/** Smooth union of two field values with blend radius k, mm (polynomial, Quilez 2013; 1-Lipschitz when both are). */
export function smoothMin(a: number, b: number, k: number): number {
  const h = Math.max(k - Math.abs(a - b), 0) / k
  return Math.min(a, b) - h * h * k * 0.25
}

/** The larger of two distances, rounded over a width `k` (Quilez, "Smooth minimum"). */
export function smoothMax(a: number, b: number, k: number): number {
  return -smoothMin(-a, -b, k)
}

/** Distance bound to an ellipsoid about the origin with radii a, b, c: first order, exact on the surface. */
export function ellipsoid(x: number, y: number, z: number, a: number, b: number, c: number): number {
  const xa = x / a,
    yb = y / b,
    zc = z / c
  const k0 = Math.sqrt(xa * xa + yb * yb + zc * zc)
  const k1 = length3(xa / a, yb / b, zc / c)
  return k1 > 1e-12 ? (k0 * (k0 - 1)) / k1 : -Math.min(a, b, c)
}

/** Cone with round ends from (ax,ay,az) radius ra to (bx,by,bz) radius rb: distance to spheres swept along the axis. */
export function taperedCapsule(
  x: number,
  y: number,
  z: number,
  ax: number,
  ay: number,
  az: number,
  ra: number,
  bx: number,
  by: number,
  bz: number,
  rb: number,
): number {
  const ux = bx - ax,
    uy = by - ay,
    uz = bz - az
  const px = x - ax,
    py = y - ay,
    pz = z - az
  const t = Math.min(1, Math.max(0, (px * ux + py * uy + pz * uz) / (ux * ux + uy * uy + uz * uz)))
  return length3(px - t * ux, py - t * uy, pz - t * uz) - (ra + t * (rb - ra))
}

/** Gradient by central differences, normalised into `out`. */
export function implicitNormal(f: Implicit, x: number, y: number, z: number, out: Float64Array, step = 1e-3): void {
  const gx = f(x + step, y, z) - f(x - step, y, z)
  const gy = f(x, y + step, z) - f(x, y - step, z)
  const gz = f(x, y, z + step) - f(x, y, z - step)
  const l = length3(gx, gy, gz) || 1
  out[0] = gx / l
  out[1] = gy / l
  out[2] = gz / l
}

/**
 * Signed distance to a simple polygon in the plane (x, y pairs), negative inside; exact. Inside by crossings of a ray.
 */
export function polygonDistance(x: number, y: number, poly: Float64Array): number {
  let best = Infinity
  let inside = false
  const n = poly.length
  for (let i = 0, j = n - 2; i < n; j = i, i += 2) {
    const ax = poly[i],
      ay = poly[i + 1]
    const ex = poly[j] - ax,
      ey = poly[j + 1] - ay
    const wx = x - ax,
      wy = y - ay
    const t = Math.min(1, Math.max(0, (wx * ex + wy * ey) / (ex * ex + ey * ey)))
    const dx = wx - ex * t,
      dy = wy - ey * t
    const d = dx * dx + dy * dy
    if (d < best) best = d
    if (ay > y !== poly[j + 1] > y && x < ((poly[j] - ax) * (y - ay)) / (poly[j + 1] - ay) + ax) inside = !inside
  }
  return inside ? -Math.sqrt(best) : Math.sqrt(best)
}

/** A flat figure drawn up by ± half: from its signed distance in the plane and the place across it; exact. */
export function extruded(flat: number, across: number, half: number): number {
  const w = Math.abs(across) - half
  return Math.min(Math.max(flat, w), 0) + length2(Math.max(flat, 0), Math.max(w, 0))
}

/** 0 below a, 1 above b, smooth between; steepest slope 1.5/(b − a). */
export function smoothStep(a: number, b: number, v: number): number {
  const t = Math.min(1, Math.max(0, (v - a) / (b - a)))
  return t * t * (3 - 2 * t)
}

/** A curve through knots (x ascending), C¹ and without overshoot (Fritsch and Carlson 1980). */
export function monotoneCurve(xs: readonly number[], ys: readonly number[]): (x: number) => number {
  const n = xs.length
  const slope = Array.from({ length: n - 1 }, (_, i) => (ys[i + 1] - ys[i]) / (xs[i + 1] - xs[i]))
  const m = Float64Array.from({ length: n }, (_, i) => {
    if (i === 0) return slope[0]
    if (i === n - 1) return slope[n - 2]
    const a = slope[i - 1],
      b = slope[i]
    // Harmonic mean keeps every piece monotone.
    return a * b <= 0 ? 0 : (2 * a * b) / (a + b)
  })
  return (x) => {
    if (x <= xs[0]) return ys[0]
    if (x >= xs[n - 1]) return ys[n - 1]
    let i = 0
    while (x > xs[i + 1]) i++
    const h = xs[i + 1] - xs[i]
    const t = (x - xs[i]) / h
    const u = 1 - t
    return (
      (1 + 2 * t) * u * u * ys[i] + t * u * u * h * m[i] + t * t * (3 - 2 * t) * ys[i + 1] - t * t * u * h * m[i + 1]
    )
  }
}
