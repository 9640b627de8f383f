import { inverse, Matrix } from 'ml-matrix'
import { rigidFromPairs } from './pairs'

/** What the picks of one pair of takes are worth. */
export interface PicksJudged {
  /** Distance of each pick's two places under the motion that all the others give, mm. */
  readonly leftOutMm: Float64Array
  /** Scatter of the picks, mm: root mean square over the directions the fit leaves free. */
  readonly scatterMm: number
  /** The pick the others disown; null where none stands out. */
  readonly bad: number | null
}

/**
 * F of a pick's three extra freedoms that one in a thousand good picks reaches, for 3, 6, 9 … freedoms left (handbook
 * tables of the F distribution, from memory).
 */
const F_ONE_IN_A_THOUSAND = [141.1, 23.7, 13.9, 10.8, 9.34, 8.49, 7.94, 7.55] as const
/** Picks made by eye are off by this share of their spread; nearer ones are never called bad. */
const EYE_SHARE = 0.01
/** With fewer picks one can not be told from the others. */
const MIN = 4

/**
 * Judges picks by leaving each out in turn. The one without which the others agree best is bad when they agree far
 * better than chance: the F test of the mean-shift outlier model (Cook and Weisberg 1982, "Residuals and Influence in
 * Regression", 2.2).
 * @param from n×3, `to` n×3, row i ↔ row i, mm
 * @throws as `rigidFromPairs` where all of them do not say a motion
 */
export function judgePicks(from: Float64Array, to: Float64Array): PicksJudged {
  const n = from.length / 3
  const all = rigidFromPairs(from, to)
  const scatterMm = Math.sqrt(all.residualMm.reduce((s, r) => s + r * r, 0) / Math.max(1, 3 * n - 6))
  const leftOutMm = new Float64Array(n)
  if (n < MIN) return { leftOutMm: all.residualMm.slice(), scatterMm, bad: null }
  const squares = all.residualMm.reduce((s, r) => s + r * r, 0)
  let bad: number | null = null,
    least = Infinity
  for (let i = 0; i < n; i++) {
    try {
      const rest = rigidFromPairs(without(from, i), without(to, i))
      const m = rest.motion
      leftOutMm[i] = Math.hypot(
        ...[0, 1, 2].map(
          (c) =>
            m[c * 4] * from[i * 3] +
            m[c * 4 + 1] * from[i * 3 + 1] +
            m[c * 4 + 2] * from[i * 3 + 2] +
            m[c * 4 + 3] -
            to[i * 3 + c],
        ),
      )
      const left = rest.rmsMm ** 2 * (n - 1)
      if (left < least) {
        least = left
        bad = i
      }
    } catch {
      // Without it the others lie on one line: it carries the fit and can not be judged by them.
      leftOutMm[i] = NaN
    }
  }
  const free = 3 * (n - 1) - 6
  const limit = F_ONE_IN_A_THOUSAND[Math.min(F_ONE_IN_A_THOUSAND.length, free / 3) - 1]
  const stands =
    bad !== null && leftOutMm[bad] > EYE_SHARE * spreadOf(to) && (squares - least) / 3 > limit * (least / free)
  return { leftOutMm, scatterMm, bad: stands ? bad : null }
}

function without(points: Float64Array, i: number): Float64Array {
  return Float64Array.from(points.filter((_, k) => Math.floor(k / 3) !== i))
}

function spreadOf(p: Float64Array): number {
  const n = p.length / 3
  const c = [0, 1, 2].map((k) => p.reduce((s, v, i) => (i % 3 === k ? s + v / n : s), 0))
  let sum = 0
  for (let i = 0; i < p.length; i++) sum += (p[i] - c[i % 3]) ** 2
  return Math.sqrt(sum / n)
}

/** Where the fit of some picks is least sure. */
export interface NextPick {
  readonly at: readonly [number, number, number]
  /** How far the surface may be off there, and where it is surest, in scatters of the picks. */
  readonly worstScatters: number
  readonly bestScatters: number
}

/**
 * The place where one more pick helps most: where the motion of the picks leaves the surface least sure (the greedy
 * step to a G-optimal design; Kiefer and Wolfowitz 1960). The covariance of the motion is the inverse of the picks'
 * information, row [1 | −p×] each.
 * @param picks n×3, n ≥ 3 not on a line, mm
 * @param surface m×3 places a person could pick, mm
 */
export function nextPick(picks: Float64Array, surface: Float32Array): NextPick | null {
  const n = picks.length / 3
  if (n < 3 || surface.length < 3) return null
  // About the middle of the picks, and in units of their spread, so that turns and shifts weigh alike.
  const c = [0, 1, 2].map((k) => picks.reduce((s, v, i) => (i % 3 === k ? s + v / n : s), 0))
  const scale = spreadOf(picks)
  if (!(scale > 0)) return null
  const information = Matrix.zeros(6, 6)
  for (let i = 0; i < n; i++) {
    const j = rowsAt([0, 1, 2].map((k) => (picks[i * 3 + k] - c[k]) / scale))
    information.add(j.transpose().mmul(j))
  }
  const covariance = inverse(information, true)
  if (Math.max(...covariance.diagonal()) > 1e6) return null
  let worst = -1,
    best = Infinity,
    at = 0
  for (let i = 0; i < surface.length; i += 3) {
    const j = rowsAt([0, 1, 2].map((k) => (surface[i + k] - c[k]) / scale))
    const v = j.mmul(covariance).mmul(j.transpose()).trace()
    if (v > worst) {
      worst = v
      at = i
    }
    if (v < best) best = v
  }
  return {
    at: [surface[at], surface[at + 1], surface[at + 2]],
    worstScatters: Math.sqrt(worst),
    bestScatters: Math.sqrt(best),
  }
}

/** How a place moves with the six parameters of a small motion. */
function rowsAt([x, y, z]: readonly number[]): Matrix {
  return new Matrix([
    [1, 0, 0, 0, z, -y],
    [0, 1, 0, -z, 0, x],
    [0, 0, 1, y, -x, 0],
  ])
}
