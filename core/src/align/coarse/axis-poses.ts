import { meanPoint } from '../../linear/mean-point'
import { identityMotion, transformPoint, type Motion } from '../../linear/rigid'
import { symmetricEigen } from '../../linear/symmetric'
import type { DownsampledCloud } from './downsampled-cloud'

/**
 * The takes' principal axes laid on each other in all 24 ways: what plain pieces without features have instead. A
 * take's own half may lie off the middle of the whole, so that its middle is laid on the other's and, besides, at
 * either end of the shortest axis.
 */
export function axisPoses(a: DownsampledCloud, b: DownsampledCloud): Motion[] {
  const from = principalFrame(a.points),
    to = principalFrame(b.points)
  const out: Motion[] = []
  for (const order of [
    [0, 1, 2],
    [0, 2, 1],
    [1, 0, 2],
    [1, 2, 0],
    [2, 0, 1],
    [2, 1, 0],
  ])
    for (let signs = 0; signs < 8; signs++) {
      const columns = order.map((k, i) => from.axes[k].map((v) => (signs & (1 << i) ? -v : v)))
      const m = identityMotion()
      for (let r = 0; r < 3; r++)
        for (let c = 0; c < 3; c++) m[r * 4 + c] = [0, 1, 2].reduce((s, k) => s + to.axes[k][r] * columns[k][c], 0)
      const det =
        m[0] * (m[5] * m[10] - m[6] * m[9]) - m[1] * (m[4] * m[10] - m[6] * m[8]) + m[2] * (m[4] * m[9] - m[5] * m[8])
      if (det < 0) continue
      const at = transformPoint(m, ...from.middle)
      for (const along of [0, 1, -1]) {
        const pose = Float64Array.from(m)
        for (let k = 0; k < 3; k++) pose[k * 4 + 3] = to.middle[k] - at[k] + along * to.axes[0][k] * to.halfMm
        out.push(pose)
      }
    }
  return out
}

/** Axes of least to most extent, and half the extent along the first. */
export function principalFrame(p: Float32Array): {
  middle: [number, number, number]
  axes: Float64Array[]
  halfMm: number
} {
  const middle = meanPoint(p)
  const c = new Float64Array(9)
  for (let i = 0; i < p.length; i += 3)
    for (let r = 0; r < 3; r++)
      for (let s = 0; s < 3; s++) c[r * 3 + s] += (p[i + r] - middle[r]) * (p[i + s] - middle[s])
  const axes = symmetricEigen(c, 3).vectors
  let low = Infinity,
    high = -Infinity
  for (let i = 0; i < p.length; i += 3) {
    const along = [0, 1, 2].reduce((s, k) => s + axes[0][k] * (p[i + k] - middle[k]), 0)
    low = Math.min(low, along)
    high = Math.max(high, along)
  }
  return { middle, axes, halfMm: (high - low) / 2 }
}
