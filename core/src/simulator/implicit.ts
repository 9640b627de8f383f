/** A solid as a signed field: negative inside, millimetres, changing by at most 1 per mm (so rays may step by it). */
export type Implicit = (x: number, y: number, z: number) => number

/** Plain square roots: Math.hypot guards against overflow at ten times the cost, and these loops are all distances. */
export function length2(x: number, y: number): number {
  return Math.sqrt(x * x + y * y)
}

export function length3(x: number, y: number, z: number): number {
  return Math.sqrt(x * x + y * y + z * z)
}

/** Smooth union of two field values with blend radius k, mm (polynomial, Quilez 2013; 1-Lipschitz when both are). */
export function smoothMin(a: number, b: number, k: number): number {
  const h = Math.max(k - Math.abs(a - b), 0) / k
  return Math.min(a, b) - h * h * k * 0.25
}

export function smoothMax(a: number, b: number, k: number): number {
  return -smoothMin(-a, -b, k)
}

/** Distance bound to an ellipsoid about the origin with radii a, b, c: first order, exact on the surface. */
export function ellipsoid(x: number, y: number, z: number, a: number, b: number, c: number): number {
  const xa = x / a, yb = y / b, zc = z / c
  const k0 = Math.sqrt(xa * xa + yb * yb + zc * zc)
  const k1 = length3(xa / a, yb / b, zc / c)
  return k1 > 1e-12 ? (k0 * (k0 - 1)) / k1 : -Math.min(a, b, c)
}

/** Cone with round ends from (ax,ay,az) radius ra to (bx,by,bz) radius rb: distance to spheres swept along the axis. */
export function taperedCapsule(
  x: number, y: number, z: number, ax: number, ay: number, az: number, ra: number, bx: number, by: number, bz: number, rb: number,
): number {
  const ux = bx - ax, uy = by - ay, uz = bz - az
  const px = x - ax, py = y - ay, pz = z - az
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
