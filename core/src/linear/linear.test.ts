import { EigenvalueDecomposition, Matrix } from 'ml-matrix'
import { describe, expect, test } from 'vitest'
import { across } from './across'
import { solveCholesky } from './cholesky'
import { seededRandom } from './random'
import {
  compose,
  identityMotion,
  invertRigid,
  isIdentity,
  motionFromRows,
  motionRows,
  orthonormalise,
  partOf,
  rotateVectors,
  rotationAngle,
  rotationMotion,
  shiftMotion,
  transformPoint,
  transformPoints,
  twistMotion,
} from './rigid'
import { median, Samples } from './samples'
import { smallestEigen3 } from './symmetric3'

const random = seededRandom(5)
const randomMotion = () =>
  rotationMotion([random.gaussian(), random.gaussian(), random.gaussian()], random.next() * 3, [
    random.gaussian() * 50,
    random.gaussian() * 50,
    random.gaussian() * 50,
  ])

describe('motions', () => {
  test('a quarter turn about z takes x to y (closed form)', () => {
    const [x, y, z] = transformPoint(rotationMotion([0, 0, 2], Math.PI / 2, [1, 2, 3]), 1, 0, 0)
    expect([x, y, z].map((v) => Math.round(v * 1e12) / 1e12)).toEqual([1, 3, 3])
  })
  test('inverse undoes, composition associates', () => {
    for (let i = 0; i < 20; i++) {
      const a = randomMotion(),
        b = randomMotion(),
        c = randomMotion()
      const back = compose(a, invertRigid(a))
      identityMotion().forEach((v, k) => expect(back[k]).toBeCloseTo(v, 10))
      const left = compose(compose(a, b), c),
        right = compose(a, compose(b, c))
      left.forEach((v, k) => expect(v).toBeCloseTo(right[k], 9))
    }
  })
  test('the angle keeps its digits near zero, where the arc cosine of the trace would lose half of them', () => {
    for (const angle of [1e-9, 1e-6, 0.3, 3.1])
      expect(rotationAngle(rotationMotion([1, 2, 3], angle)) / angle).toBeCloseTo(1, 8)
  })
  test('twist: pure shift, and the exponential of a rotation vector', () => {
    expect(Array.from(twistMotion([0, 0, 0, 1, 2, 3]))).toEqual(Array.from(shiftMotion(1, 2, 3)))
    const m = twistMotion([0, 0, 0.25, 0, 0, 0])
    expect(m[0]).toBeCloseTo(Math.cos(0.25), 14)
    expect(m[4]).toBeCloseTo(Math.sin(0.25), 14)
  })
  test('points and directions: directions ignore the shift', () => {
    const m = rotationMotion([0, 0, 1], Math.PI, [10, 0, 0])
    expect(Array.from(transformPoints(m, Float32Array.of(1, 0, 0)))[0]).toBeCloseTo(9, 6)
    expect(Array.from(rotateVectors(m, Float32Array.of(1, 0, 0)))[0]).toBeCloseTo(-1, 6)
  })
  test('a share of a motion’s way: half of it twice is the whole; the place it is about goes straight', () => {
    const m = rotationMotion([1, 2, -1], 0.8, [5, -3, 2]),
      at = [4, 5, 6] as const
    const half = partOf(m, [...at], 0.5)
    const there = transformPoint(m, ...at),
      between = transformPoint(half, ...at)
    between.forEach((v, k) => expect(v).toBeCloseTo((at[k] + there[k]) / 2, 12))
    const again = partOf(m, [...at], 1)
    m.forEach((v, k) => expect(again[k]).toBeCloseTo(v, 12))
    expect(rotationAngle(half)).toBeCloseTo(0.4, 12)
    Array.from(partOf(shiftMotion(8, 0, 0), [0, 0, 0], 0.25)).forEach((v, k) =>
      expect(v).toBeCloseTo(shiftMotion(2, 0, 0)[k], 12),
    )
  })
  test('orthonormalise repairs rounding', () => {
    const m = rotationMotion([1, 1, 0], 1)
    m[0] += 1e-6
    const r = orthonormalise(m)
    expect(Math.hypot(r[0], r[1], r[2])).toBeCloseTo(1, 14)
    expect(r[0] * r[4] + r[1] * r[5] + r[2] * r[6]).toBeCloseTo(0, 14)
  })
  test('a motions file is read back, and what is not a rigid motion is refused with the reason', () => {
    const m = randomMotion()
    expect(Array.from(motionFromRows(motionRows(m), 'a'))).toEqual(Array.from(m))
    expect(isIdentity(identityMotion())).toBe(true)
    const rows = motionRows(identityMotion())
    expect(() => motionFromRows(rows.slice(1), 'a')).toThrow('does not have four rows')
    expect(() => motionFromRows([[1, 0, 0], ...rows.slice(1)], 'a')).toThrow('row 1 without four numbers')
    expect(() => motionFromRows([[NaN, 0, 0, 0], ...rows.slice(1)], 'a')).toThrow('holds NaN')
    expect(() => motionFromRows([[2, 0, 0, 0], ...rows.slice(1)], 'a')).toThrow('stretches or skews')
    expect(() => motionFromRows([[-1, 0, 0, 0], ...rows.slice(1)], 'side')).toThrow(
      'The motion of "side" mirrors the piece',
    )
    expect(() => motionFromRows([...rows.slice(0, 3), [0, 0, 0, 2]], 'a')).toThrow('does not end in the row 0 0 0 1')
    expect(() => rotationMotion([0, 0, 0], 1)).toThrow('axis that is not zero')
  })
})

describe('small solvers, checked against a general-purpose library (ml-matrix)', () => {
  test('smallest eigenvector of 200 random scatter matrices', () => {
    const out = new Float64Array(6)
    for (let i = 0; i < 200; i++) {
      const b = Matrix.rand(5, 3, { random: () => random.next() - 0.5 })
      const a = b.transpose().mmul(b)
      smallestEigen3(a.get(0, 0), a.get(0, 1), a.get(0, 2), a.get(1, 1), a.get(1, 2), a.get(2, 2), out)
      const reference = new EigenvalueDecomposition(a, { assumeSymmetric: true })
      const values = [...reference.realEigenvalues].sort((x, y) => x - y)
      for (let k = 0; k < 3; k++) expect(out[k]).toBeCloseTo(values[k], 9)
      const column = reference.realEigenvalues.indexOf(Math.min(...reference.realEigenvalues))
      const v = reference.eigenvectorMatrix.getColumn(column)
      expect(Math.abs(v[0] * out[3] + v[1] * out[4] + v[2] * out[5])).toBeCloseTo(1, 6)
    }
  })
  test('a multiple of the identity gives a unit vector', () => {
    const out = new Float64Array(6)
    smallestEigen3(2, 0, 0, 2, 0, 2, out)
    expect(Array.from(out)).toEqual([2, 2, 2, 0, 0, 1])
  })
  test('Cholesky solves; an indefinite matrix is refused', () => {
    const b = Matrix.rand(8, 6, { random: () => random.next() - 0.5 })
    const a = b.transpose().mmul(b)
    const x = Array.from({ length: 6 }, (_, i) => i - 2)
    const right = Float64Array.from(a.mmul(Matrix.columnVector(x)).getColumn(0))
    const out = new Float64Array(6)
    expect(solveCholesky(Float64Array.from(a.to1DArray()), right, out, 6)).toBe(true)
    x.forEach((v, i) => expect(out[i]).toBeCloseTo(v, 8))
    expect(solveCholesky(Float64Array.of(1, 2, 2, 1), Float64Array.of(1, 1), new Float64Array(2), 2)).toBe(false)
  })
})

describe('seeded random numbers', () => {
  test('same seed, same numbers; another seed, others', () => {
    const take = (seed: number) =>
      Array.from(
        { length: 5 },
        (
          (r) => () =>
            r.next()
        )(seededRandom(seed)),
      )
    expect(take(7)).toEqual(take(7))
    expect(take(7)).not.toEqual(take(8))
  })
  test('mean and variance of 100,000 normal numbers lie within five standard errors of 0 and 1', () => {
    const r = seededRandom(3)
    let sum = 0,
      square = 0
    const n = 100_000
    for (let i = 0; i < n; i++) {
      const g = r.gaussian()
      sum += g
      square += g * g
    }
    expect(Math.abs(sum / n)).toBeLessThan(5 / Math.sqrt(n))
    expect(Math.abs(square / n - 1)).toBeLessThan(5 * Math.sqrt(2 / n))
  })
  test('whole numbers cover the range and stay in it', () => {
    const r = seededRandom(9)
    const seen = new Set(Array.from({ length: 500 }, () => r.integer(6)))
    expect([...seen].sort()).toEqual([0, 1, 2, 3, 4, 5])
  })
})

test('medians', () => {
  expect(median([5, 1, 9])).toBe(5)
  expect(median([])).toBe(0)
  const s = new Samples(4)
  expect(s.median()).toBe(0)
  for (const v of [4, 2, 8]) s.add(v)
  expect(s.median()).toBe(4)
})

test.each([
  [0, 0, 1],
  [0, 0, -1],
  [1, 0, 0],
  [0.6, -0.48, 0.64],
])('the directions across a normal are square to its normal %f %f %f and to each other', (...n) => {
  const out = new Float64Array(6)
  across(n[0], n[1], n[2], out)
  const [u, v] = [out.subarray(0, 3), out.subarray(3)].map((a) => [...a]) as [number[], number[]]
  const dot = (a: readonly number[], b: readonly number[]): number => a.reduce((s, x, i) => s + x * b[i], 0)
  for (const [a, b, want] of [
    [u, v, 0],
    [u, n, 0],
    [v, n, 0],
    [u, u, 1],
    [v, v, 1],
  ] as const)
    expect(dot(a, b)).toBeCloseTo(want, 12)
})
