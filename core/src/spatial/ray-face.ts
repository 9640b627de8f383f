/**
 * Distance along a unit direction to a triangle, Infinity where the ray passes it by or meets it behind the origin;
 * both sides count (Möller and Trumbore 1997, "Fast, minimum storage ray-triangle intersection").
 * @param p coordinates, three a point @param a,b,c offsets of the corners in them
 */
export function rayFaceMm(
  p: Float32Array,
  a: number,
  b: number,
  c: number,
  ox: number,
  oy: number,
  oz: number,
  dx: number,
  dy: number,
  dz: number,
): number {
  const ux = p[b] - p[a],
    uy = p[b + 1] - p[a + 1],
    uz = p[b + 2] - p[a + 2]
  const vx = p[c] - p[a],
    vy = p[c + 1] - p[a + 1],
    vz = p[c + 2] - p[a + 2]
  const hx = dy * vz - dz * vy,
    hy = dz * vx - dx * vz,
    hz = dx * vy - dy * vx
  const det = ux * hx + uy * hy + uz * hz
  if (det > -1e-12 && det < 1e-12) return Infinity
  const f = 1 / det
  const sx = ox - p[a],
    sy = oy - p[a + 1],
    sz = oz - p[a + 2]
  const u = f * (sx * hx + sy * hy + sz * hz)
  if (u < 0 || u > 1) return Infinity
  const qx = sy * uz - sz * uy,
    qy = sz * ux - sx * uz,
    qz = sx * uy - sy * ux
  const v = f * (dx * qx + dy * qy + dz * qz)
  if (v < 0 || u + v > 1) return Infinity
  const t = f * (vx * qx + vy * qy + vz * qz)
  return t > 0 ? t : Infinity
}
