import { Matrix, SVD } from 'ml-matrix'
import { GeometryError } from '../../errors'
import { transformPoint, type Motion } from '../../linear/rigid'

export interface PairFit {
  readonly motion: Motion
  readonly rmsMm: number
  /** Distance left between the two points of each pair, mm. */
  readonly residualMm: Float64Array
}

/** A second direction this small beside the first counts as one line. */
const LINE_RATIO = 0.02

/**
 * The rigid motion that takes `from` to `to`, least squares over pairs. n×3 each, row i ↔ row i, n ≥ 3, mm.
 * Source: Arun, Huang, Blostein 1987, TPAMI 9(5), with the sign correction of Umeyama 1991, TPAMI 13(4), eq. 39–43:
 * never a mirror.
 * @throws DEGENERATE when the points coincide or lie on one line, PARAMS for fewer than three pairs
 */
export function rigidFromPairs(from: Float64Array, to: Float64Array): PairFit {
  const n = from.length / 3
  if (from.length !== to.length || !Number.isInteger(n))
    throw new GeometryError('SHAPE', 'Both sides of the pairs need the same number of points.')
  if (n < 3) throw new GeometryError('PARAMS', `Three pairs or more are needed; there ${n === 1 ? 'is' : 'are'} ${n}.`)
  for (const v of [...from, ...to])
    if (!Number.isFinite(v))
      throw new GeometryError('NOT_FINITE', 'One of the picked points has a coordinate that is not a number.')
  const a = centred(from)
  const b = centred(to)
  refuseDegenerate(a.rows, 'first')
  refuseDegenerate(b.rows, 'second')
  const svd = new SVD(b.rows.transpose().mmul(a.rows), { autoTranspose: true })
  const u = svd.leftSingularVectors
  const v = svd.rightSingularVectors
  const sign = determinant3(u) * determinant3(v) < 0 ? -1 : 1
  const r = u.mmul(Matrix.diag([1, 1, sign])).mmul(v.transpose())
  const motion = Float64Array.of(
    r.get(0, 0),
    r.get(0, 1),
    r.get(0, 2),
    0,
    r.get(1, 0),
    r.get(1, 1),
    r.get(1, 2),
    0,
    r.get(2, 0),
    r.get(2, 1),
    r.get(2, 2),
    0,
    0,
    0,
    0,
    1,
  )
  const c = transformPoint(motion, a.mean[0], a.mean[1], a.mean[2])
  for (let i = 0; i < 3; i++) motion[i * 4 + 3] = b.mean[i] - c[i]
  const residualMm = new Float64Array(n)
  let sum = 0
  for (let i = 0; i < n; i++) {
    const p = transformPoint(motion, from[i * 3], from[i * 3 + 1], from[i * 3 + 2])
    residualMm[i] = Math.hypot(p[0] - to[i * 3], p[1] - to[i * 3 + 1], p[2] - to[i * 3 + 2])
    sum += residualMm[i] ** 2
  }
  return { motion, rmsMm: Math.sqrt(sum / n), residualMm }
}

function centred(points: Float64Array): { rows: Matrix; mean: number[] } {
  const n = points.length / 3
  const mean = [0, 0, 0]
  for (let i = 0; i < points.length; i++) mean[i % 3] += points[i] / n
  const rows = new Matrix(n, 3)
  for (let i = 0; i < points.length; i++) rows.set(Math.floor(i / 3), i % 3, points[i] - mean[i % 3])
  return { rows, mean }
}

function refuseDegenerate(rows: Matrix, side: string): void {
  const s = new SVD(rows, { autoTranspose: true }).diagonal
  if (!(s[0] > 1e-9))
    throw new GeometryError(
      'DEGENERATE',
      `The points picked on the ${side} take are all at one place. Spread them over the piece.`,
    )
  if (s[1] < LINE_RATIO * s[0])
    throw new GeometryError(
      'DEGENERATE',
      `The points picked on the ${side} take lie on one line, so the take could still turn round ` +
        'it. Pick one more point well off the line.',
    )
}

function determinant3(m: Matrix): number {
  return (
    m.get(0, 0) * (m.get(1, 1) * m.get(2, 2) - m.get(1, 2) * m.get(2, 1)) -
    m.get(0, 1) * (m.get(1, 0) * m.get(2, 2) - m.get(1, 2) * m.get(2, 0)) +
    m.get(0, 2) * (m.get(1, 0) * m.get(2, 1) - m.get(1, 1) * m.get(2, 0))
  )
}
