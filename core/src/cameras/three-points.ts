import { hornRotation } from '../linear/horn'
import type { Motion } from '../linear/rigid'

const ROUNDS = 60
/** Twofold roots are found less sharply; what is no way to stand after all is sorted out by the picks. */
const REAL = 1e-3

/**
 * The up to four ways a camera can stand that sees three points in three directions: Grunert's quartic after Haralick,
 * Lee, Ottenberg and Nölle (1994, "Review and analysis of solutions of the three point perspective pose estimation
 * problem").
 * @param rays three unit directions in the camera's axes, 9 numbers
 * @param points the three points, mm, 9 numbers
 * @returns motions, points → camera
 */
export function threePointPoses(rays: ArrayLike<number>, points: ArrayLike<number>): Motion[] {
  const side = (i: number, j: number): number =>
    (points[i * 3] - points[j * 3]) ** 2 +
    (points[i * 3 + 1] - points[j * 3 + 1]) ** 2 +
    (points[i * 3 + 2] - points[j * 3 + 2]) ** 2
  const cosine = (i: number, j: number): number =>
    rays[i * 3] * rays[j * 3] + rays[i * 3 + 1] * rays[j * 3 + 1] + rays[i * 3 + 2] * rays[j * 3 + 2]
  const a2 = side(1, 2),
    b2 = side(0, 2),
    c2 = side(0, 1)
  if (!(a2 > 0 && b2 > 0 && c2 > 0)) return []
  const ca = cosine(1, 2),
    cb = cosine(0, 2),
    cg = cosine(0, 1)
  const q = (a2 - c2) / b2,
    s = (a2 + c2) / b2
  const quartic = [
    (1 + q) ** 2 - (4 * a2 * cg * cg) / b2,
    4 * (-q * (1 + q) * cb + (2 * a2 * cg * cg * cb) / b2 - (1 - s) * ca * cg),
    2 *
      (q * q -
        1 +
        2 * q * q * cb * cb +
        (2 * (b2 - c2) * ca * ca) / b2 -
        4 * s * ca * cb * cg +
        (2 * (b2 - a2) * cg * cg) / b2),
    4 * (q * (1 - q) * cb - (1 - s) * ca * cg + (2 * c2 * ca * ca * cb) / b2),
    (q - 1) ** 2 - (4 * c2 * ca * ca) / b2,
  ]
  const out: Motion[] = []
  for (const v of realRoots(quartic)) {
    const u = ((q - 1) * v * v - 2 * q * cb * v + 1 + q) / (2 * (cg - v * ca))
    const square = b2 / (1 + v * v - 2 * v * cb)
    if (!(u > 0 && v > 0 && square > 0)) continue
    const first = Math.sqrt(square)
    out.push(motionOf(rays, points, [first, u * first, v * first]))
  }
  return out
}

/** Where points must be moved to lie at such distances along the rays. */
function motionOf(rays: ArrayLike<number>, points: ArrayLike<number>, far: readonly number[]): Motion {
  const mean = (of: (i: number, c: number) => number, c: number): number => (of(0, c) + of(1, c) + of(2, c)) / 3
  const from = (i: number, c: number): number => points[i * 3 + c]
  const to = (i: number, c: number): number => rays[i * 3 + c] * far[i]
  const a = [0, 1, 2].map((c) => mean(from, c)),
    b = [0, 1, 2].map((c) => mean(to, c))
  const sums = new Float64Array(9)
  for (let i = 0; i < 3; i++)
    for (let r = 0; r < 3; r++) for (let c = 0; c < 3; c++) sums[r * 3 + c] += (to(i, r) - b[r]) * (from(i, c) - a[c])
  const out = new Float64Array(16)
  hornRotation(sums, out)
  out[15] = 1
  for (let r = 0; r < 3; r++)
    out[r * 4 + 3] = b[r] - (out[r * 4] * a[0] + out[r * 4 + 1] * a[1] + out[r * 4 + 2] * a[2])
  return out
}

/** Real roots of Σ cₖ xᵏ, all roots at once (Durand 1960, Kerner 1966). @param c from the constant up */
export function realRoots(c: readonly number[]): number[] {
  let n = c.length - 1
  const largest = Math.max(...c.map(Math.abs))
  while (n > 0 && Math.abs(c[n]) <= 1e-12 * largest) n--
  if (n < 1) return []
  const monic = c.slice(0, n + 1).map((v) => v / c[n])
  // No root lies farther out (Cauchy).
  const reach = Math.min(10, 1 + Math.max(...monic.slice(0, n).map(Math.abs)))
  const re = Array.from({ length: n }, (_, i) => reach * 0.7 * Math.cos(0.4 + (2 * Math.PI * i) / n))
  const im = Array.from({ length: n }, (_, i) => reach * 0.7 * Math.sin(0.4 + (2 * Math.PI * i) / n))
  for (let round = 0; round < ROUNDS; round++)
    for (let i = 0; i < n; i++) {
      let vr = 1,
        vi = 0
      for (let k = n - 1; k >= 0; k--) [vr, vi] = [vr * re[i] - vi * im[i] + monic[k], vr * im[i] + vi * re[i]]
      let dr = 1,
        di = 0
      for (let j = 0; j < n; j++)
        if (j !== i) {
          const xr = re[i] - re[j],
            xi = im[i] - im[j]
          ;[dr, di] = [dr * xr - di * xi, dr * xi + di * xr]
        }
      const d = dr * dr + di * di
      if (!(d > 0)) continue
      re[i] -= (vr * dr + vi * di) / d
      im[i] -= (vi * dr - vr * di) / d
    }
  return re.filter((x, i) => Number.isFinite(x) && Math.abs(im[i]) <= REAL * Math.max(1, Math.abs(x)))
}
