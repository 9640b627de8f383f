/**
 * Eigenvalues (ascending) and the eigenvector of the smallest one of a symmetric 3×3 matrix, for per-point loops:
 * no allocation, result in `out`: [λ0, λ1, λ2, x, y, z].
 * Source: O. K. Smith, "Eigenvalues of a symmetric 3×3 matrix", CACM 4(4), 1961; eigenvector by the largest cross
 * product of two rows of A − λ0·I.
 */
export function smallestEigen3(
  xx: number,
  xy: number,
  xz: number,
  yy: number,
  yz: number,
  zz: number,
  out: Float64Array,
): void {
  const p1 = xy * xy + xz * xz + yz * yz
  const q = (xx + yy + zz) / 3
  const p2 = (xx - q) * (xx - q) + (yy - q) * (yy - q) + (zz - q) * (zz - q) + 2 * p1
  const p = Math.sqrt(p2 / 6)
  if (!(p > 0)) {
    out[0] = q
    out[1] = q
    out[2] = q
    out[3] = 0
    out[4] = 0
    out[5] = 1
    return
  }
  const bxx = (xx - q) / p
  const byy = (yy - q) / p
  const bzz = (zz - q) / p
  const bxy = xy / p
  const bxz = xz / p
  const byz = yz / p
  let r = (bxx * (byy * bzz - byz * byz) - bxy * (bxy * bzz - byz * bxz) + bxz * (bxy * byz - byy * bxz)) / 2
  r = r < -1 ? -1 : r > 1 ? 1 : r
  const phi = Math.acos(r) / 3
  const l2 = q + 2 * p * Math.cos(phi)
  const l0 = q + 2 * p * Math.cos(phi + (2 * Math.PI) / 3)
  out[0] = l0
  out[1] = 3 * q - l0 - l2
  out[2] = l2
  const ax = xx - l0
  const ay = yy - l0
  const az = zz - l0
  // Rows (ax,xy,xz), (xy,ay,yz), (xz,yz,az).
  let x = xy * yz - xz * ay
  let y = xz * xy - ax * yz
  let z = ax * ay - xy * xy
  let best = x * x + y * y + z * z
  let cx = xy * az - xz * yz
  let cy = xz * xz - ax * az
  let cz = ax * yz - xy * xz
  let n = cx * cx + cy * cy + cz * cz
  if (n > best) {
    x = cx
    y = cy
    z = cz
    best = n
  }
  cx = ay * az - yz * yz
  cy = yz * xz - xy * az
  cz = xy * yz - ay * xz
  n = cx * cx + cy * cy + cz * cz
  if (n > best) {
    x = cx
    y = cy
    z = cz
    best = n
  }
  if (!(best > 0)) {
    out[3] = 0
    out[4] = 0
    out[5] = 1
    return
  }
  const s = 1 / Math.sqrt(best)
  out[3] = x * s
  out[4] = y * s
  out[5] = z * s
}
