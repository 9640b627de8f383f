import { Matrix, SingularValueDecomposition, solve } from 'ml-matrix'
import { GeometryError } from '../errors'

export interface SphereFit {
  readonly centre: readonly [number, number, number]
  readonly radiusMm: number
  /** Signed distances to the fitted sphere, mm, + outside. */
  readonly residuals: Float64Array
}

/**
 * Least-squares sphere (orthogonal distances) by Gauss–Newton, started from the algebraic fit (Forbes, "Least-squares
 * best-fit geometric elements", NPL report DITC 140/89, 1989).
 * @param points n×3, n ≥ 4, not in one plane
 */
export function fitSphere(points: ArrayLike<number>): SphereFit {
  const n = Math.floor(points.length / 3)
  if (n < 4) throw new GeometryError('DEGENERATE', `A sphere needs at least 4 points; there are ${n}.`)
  const at = (i: number, c: number): number => points[i * 3 + c]
  const rows = Array.from({ length: n }, (_, i) => [at(i, 0), at(i, 1), at(i, 2), 1])
  const right = Array.from({ length: n }, (_, i) => [at(i, 0) ** 2 + at(i, 1) ** 2 + at(i, 2) ** 2])
  const svd = new SingularValueDecomposition(new Matrix(rows), { autoTranspose: true })
  if (svd.rank < 4) throw new GeometryError('DEGENERATE', 'The points lie in one plane; no sphere goes through them.')
  const [a, b, c, d] = svd.solve(new Matrix(right)).to1DArray() as [number, number, number, number]
  const p = [a / 2, b / 2, c / 2, 0]
  p[3] = Math.sqrt(Math.max(0, d + p[0] ** 2 + p[1] ** 2 + p[2] ** 2))
  const residuals = new Float64Array(n)
  for (let round = 0; round < 30; round++) {
    const jacobian = new Matrix(n, 4)
    const distances = new Matrix(n, 1)
    for (let i = 0; i < n; i++) {
      const x = at(i, 0) - p[0],
        y = at(i, 1) - p[1],
        z = at(i, 2) - p[2]
      const r = Math.sqrt(x * x + y * y + z * z) || 1e-12
      jacobian.setRow(i, [-x / r, -y / r, -z / r, -1])
      distances.set(i, 0, -(r - p[3]))
      residuals[i] = r - p[3]
    }
    const step = solve(jacobian, distances, true).to1DArray()
    for (let k = 0; k < 4; k++) p[k] += step[k]
    if (Math.max(...step.map(Math.abs)) < 1e-10) break
  }
  for (let i = 0; i < n; i++) residuals[i] = Math.hypot(at(i, 0) - p[0], at(i, 1) - p[1], at(i, 2) - p[2]) - p[3]
  return { centre: [p[0], p[1], p[2]], radiusMm: p[3], residuals }
}

export interface PlaneFit {
  readonly point: readonly [number, number, number]
  readonly normal: readonly [number, number, number]
  readonly residuals: Float64Array
}

/** Least-squares plane: through the centroid, normal the weakest direction of the scatter (Pearson 1901). */
export function fitPlane(points: ArrayLike<number>): PlaneFit {
  const n = Math.floor(points.length / 3)
  if (n < 3) throw new GeometryError('DEGENERATE', `A plane needs at least 3 points; there are ${n}.`)
  const mean = [0, 0, 0]
  for (let i = 0; i < n * 3; i++) mean[i % 3] += points[i] / n
  const centred = new Matrix(n, 3)
  for (let i = 0; i < n * 3; i++) centred.set(Math.floor(i / 3), i % 3, points[i] - mean[i % 3])
  const svd = new SingularValueDecomposition(centred.transpose().mmul(centred))
  const normal = svd.leftSingularVectors.getColumn(2) as [number, number, number]
  const residuals = Float64Array.from({ length: n }, (_, i) => normal.reduce((s, v, k) => s + v * centred.get(i, k), 0))
  return { point: mean as [number, number, number], normal, residuals }
}
