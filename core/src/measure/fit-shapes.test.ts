import { EigenvalueDecomposition, Matrix } from 'ml-matrix'
import { describe, expect, test } from 'vitest'
import { seededRandom } from '../linear/random'
import { fitPlane, fitSphere } from './fit-shapes'

describe('least-squares sphere', () => {
  test('exact through four points: the circumscribed sphere of a corner of a cube', () => {
    const { centre, radiusMm, residuals } = fitSphere([0, 0, 0, 2, 0, 0, 0, 2, 0, 0, 0, 2])
    for (const c of centre) expect(c).toBeCloseTo(1, 10)
    expect(radiusMm).toBeCloseTo(Math.sqrt(3), 10)
    for (const r of residuals) expect(r).toBeCloseTo(0, 10)
  })
  test('regular octahedron with its vertices moved in and out by turns: the mean radius, by symmetry', () => {
    const { centre, radiusMm } = fitSphere([11, 0, 0, -11, 0, 0, 0, 9, 0, 0, -9, 0, 0, 0, 10, 0, 0, -10])
    for (const c of centre) expect(c).toBeCloseTo(0, 9)
    expect(radiusMm).toBeCloseTo(10, 9)
  })
  test('noisy points of a cap: a minimum of the sum of squares, no step makes it smaller', () => {
    const r = seededRandom(9)
    const points: number[] = []
    for (let i = 0; i < 500; i++) {
      const z = 1 - 0.6 * r.next(),
        a = 6.2832 * r.next(),
        s = Math.sqrt(1 - z * z),
        d = 12.5 + 0.02 * r.gaussian()
      points.push(3 + d * s * Math.cos(a), -7 + d * s * Math.sin(a), 40 + d * z)
    }
    const fit = fitSphere(points)
    expect(fit.radiusMm).toBeCloseTo(12.5, 1)
    const cost = (x: number, y: number, z: number, q: number): number =>
      points.reduce(
        (sum, _, i) => (i % 3 ? sum : sum + (Math.hypot(points[i] - x, points[i + 1] - y, points[i + 2] - z) - q) ** 2),
        0,
      )
    const [x, y, z] = fit.centre
    const best = cost(x, y, z, fit.radiusMm)
    for (const e of [1e-3, -1e-3])
      for (const c of [
        cost(x + e, y, z, fit.radiusMm),
        cost(x, y + e, z, fit.radiusMm),
        cost(x, y, z + e, fit.radiusMm),
        cost(x, y, z, fit.radiusMm + e),
      ])
        expect(c).toBeGreaterThan(best)
  })
  test('too few points, or all in one plane, are refused', () => {
    expect(() => fitSphere([0, 0, 0, 1, 0, 0, 0, 1, 0])).toThrow('at least 4 points')
    expect(() => fitSphere([0, 0, 0, 1, 0, 0, 0, 1, 0, 1, 1, 0, 2, 3, 0])).toThrow('one plane')
  })
})

test('least-squares plane: the weakest direction of the scatter, as an eigen-solver of another library has it', () => {
  const r = seededRandom(2)
  const points: number[] = []
  for (let i = 0; i < 300; i++) {
    const x = 10 * r.gaussian(),
      y = 6 * r.gaussian()
    points.push(x, y, 0.2 * x - 0.5 * y + 3 + 0.01 * r.gaussian())
  }
  const { normal, point, residuals } = fitPlane(points)
  const m = new Matrix(Array.from({ length: 300 }, (_, i) => [0, 1, 2].map((c) => points[i * 3 + c] - point[c])))
  const e = new EigenvalueDecomposition(m.transpose().mmul(m), { assumeSymmetric: true })
  const v = e.eigenvectorMatrix.getColumn(e.realEigenvalues.indexOf(Math.min(...e.realEigenvalues)))
  expect(Math.abs(v.reduce((s, x, k) => s + x * normal[k], 0))).toBeCloseTo(1, 9)
  expect(residuals.reduce((s, x) => s + x, 0)).toBeCloseTo(0, 9)
  expect(() => fitPlane([0, 0, 0])).toThrow('at least 3')
})
