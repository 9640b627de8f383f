import type { Motion } from './rigid'

/**
 * Rotation that takes directions to directions, from the sums Σ w·to·fromᵀ (row-major 3×3): the quaternion of the
 * largest eigenvalue of Horn's matrix, by Jacobi rotations. For inner loops; `rigidFromPairs` is the careful one.
 * Source: Horn 1987, "Closed-form solution of absolute orientation using unit quaternions", JOSA A 4(4), §4.
 * @param out written: the rotation in the upper 3×3 of a row-major 4×4, last row 0 0 0 1; shifts untouched
 */
export function hornRotation(s: ArrayLike<number>, out: Motion): void {
  // S_ab = Σ from_a · to_b in Horn's letters.
  const xx = s[0],
    yx = s[1],
    zx = s[2],
    xy = s[3],
    yy = s[4],
    zy = s[5],
    xz = s[6],
    yz = s[7],
    zz = s[8]
  const a = [
    xx + yy + zz,
    yz - zy,
    zx - xz,
    xy - yx,
    yz - zy,
    xx - yy - zz,
    xy + yx,
    zx + xz,
    zx - xz,
    xy + yx,
    -xx + yy - zz,
    yz + zy,
    xy - yx,
    zx + xz,
    yz + zy,
    -xx - yy + zz,
  ]
  const v = [1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1]
  for (let sweep = 0; sweep < 12; sweep++) {
    let off = 0,
      size = 0
    for (let p = 0; p < 4; p++)
      for (let q = 0; q < 4; q++) {
        if (p === q) size += a[p * 5] * a[p * 5]
        else off += a[p * 4 + q] * a[p * 4 + q]
      }
    if (!(off > 1e-22 * size)) break
    for (let p = 0; p < 3; p++)
      for (let q = p + 1; q < 4; q++) {
        const apq = a[p * 4 + q]
        if (apq === 0) continue
        const theta = (a[q * 5] - a[p * 5]) / (2 * apq)
        const t = Math.sign(theta || 1) / (Math.abs(theta) + Math.sqrt(theta * theta + 1))
        const c = 1 / Math.sqrt(t * t + 1),
          sn = t * c
        for (let k = 0; k < 4; k++) {
          const kp = a[k * 4 + p],
            kq = a[k * 4 + q]
          a[k * 4 + p] = c * kp - sn * kq
          a[k * 4 + q] = sn * kp + c * kq
        }
        for (let k = 0; k < 4; k++) {
          const pk = a[p * 4 + k],
            qk = a[q * 4 + k]
          a[p * 4 + k] = c * pk - sn * qk
          a[q * 4 + k] = sn * pk + c * qk
          const vp = v[k * 4 + p],
            vq = v[k * 4 + q]
          v[k * 4 + p] = c * vp - sn * vq
          v[k * 4 + q] = sn * vp + c * vq
        }
      }
  }
  let top = 0
  for (let k = 1; k < 4; k++) if (a[k * 5] > a[top * 5]) top = k
  const w = v[top],
    x = v[4 + top],
    y = v[8 + top],
    z = v[12 + top]
  out[0] = w * w + x * x - y * y - z * z
  out[1] = 2 * (x * y - w * z)
  out[2] = 2 * (x * z + w * y)
  out[4] = 2 * (x * y + w * z)
  out[5] = w * w - x * x + y * y - z * z
  out[6] = 2 * (y * z - w * x)
  out[8] = 2 * (x * z - w * y)
  out[9] = 2 * (y * z + w * x)
  out[10] = w * w - x * x - y * y + z * z
  out[12] = out[13] = out[14] = 0
  out[15] = 1
}
