import { toLight } from '../colour/srgb'
import { readLevel, type Level } from './grey-levels'

/** Least step of colour that is an edge, bytes over two pixels. */
const LEAST_STEP = 10
/** Of several edges the strongest is wanted; a weaker one counts only when it is much nearer. */
const NEARER = 0.8
/** The outermost of those that are so strong as the strongest, where the outermost is wanted. */
const OUTERMOST = 0.25

/**
 * Which of several edges across a contour is taken: the strongest, or the outermost, since before an even background
 * whatever is drawn on the piece lies farther in.
 */
export type Wanted = 'strongest' | 'outermost'

/**
 * Looks along a line of the photo for the edge that belongs to a contour.
 * @param reach pixels to either side
 * @returns how far along the line it lies, px; null where there is none
 */
export class EdgeSearch {
  private readonly line = new Float64Array(3 * 260)
  private readonly steps = new Float64Array(260)

  find(level: Level, u: number, v: number, nx: number, ny: number, reach: number, wanted: Wanted): number | null {
    const half = Math.ceil(reach) + 1
    const n = 2 * half + 1
    for (let k = 0; k < n; k++)
      if (!readLevel(level, u + (k - half) * nx, v + (k - half) * ny, this.line, k * 3)) return null
    const { line, steps } = this
    for (let k = 1; k < n - 1; k++) {
      const i = k * 3
      steps[k] = Math.hypot(line[i + 3] - line[i - 3], line[i + 4] - line[i - 2], line[i + 5] - line[i - 1])
    }
    let best = -1,
      most = 0,
      strongest = 0
    if (wanted === 'outermost') for (let k = 2; k < n - 2; k++) strongest = Math.max(strongest, steps[k])
    for (let k = 2; k < n - 2; k++) {
      if (steps[k] < LEAST_STEP || steps[k] < steps[k - 1] || steps[k] <= steps[k + 1]) continue
      const far = (k - half) / reach
      const value = steps[k] * (1 - NEARER * far * far)
      if (wanted === 'outermost' ? steps[k] >= OUTERMOST * strongest : value > most) {
        most = value
        best = k
      }
    }
    if (best < 0) return null
    return this.within(best, n) - half
  }

  /**
   * The edge between pixels, in light: a lens blurs light, and what is written of it lies farther out on the dark side.
   */
  private within(found: number, n: number): number {
    const { line, steps } = this
    const from = Math.max(1, found - 3),
      to = Math.min(n - 2, found + 3)
    for (let i = (from - 1) * 3; i < (to + 2) * 3; i++) line[i] = toLight(line[i] / 255)
    let best = found
    for (let k = from; k <= to; k++) {
      const i = k * 3
      steps[k] = Math.hypot(line[i + 3] - line[i - 3], line[i + 4] - line[i - 2], line[i + 5] - line[i - 1])
      if (k > from && steps[k] > steps[best] && Math.abs(k - found) <= 2) best = k
    }
    if (best <= from || best >= to) return found
    const [a, b, c] = [steps[best - 1], steps[best], steps[best + 1]]
    const bend = a - 2 * b + c
    return best + (bend < 0 ? Math.max(-0.5, Math.min(0.5, (0.5 * (a - c)) / bend)) : 0)
  }
}
