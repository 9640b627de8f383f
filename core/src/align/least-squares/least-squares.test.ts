import { Matrix, solve } from 'ml-matrix'
import { describe, expect, test } from 'vitest'
import { quietContext } from '../../context'
import { seededRandom } from '../../linear/random'
import { identityMotion, rotationMotion, transformPoint } from '../../linear/rigid'
import { boxPoints } from '../../testing/solids'
import { prepareCloud } from '../oriented-cloud'
import { ALONG, APART2, noPairs, PAIR_SIZE, pairDirection } from './directed-pairs'
import { dampTwist, NormalEquations } from './normal-equations'
import { addPairs, planeRow, tukeyWeight } from './plane-row'
import { motionAbout } from './twist'

const random = seededRandom(12)
const draw = (n: number): Float64Array => Float64Array.from({ length: n }, () => random.gaussian())

describe('the linearised point-to-plane step', () => {
  test('is the slope of the distance when what lies at the place turns and shifts about the centre', () => {
    for (let i = 0; i < 20; i++) {
      const [p, n, c] = [draw(3), draw(3), draw(3)]
      const row = new Float64Array(6)
      planeRow(row, p[0] - c[0], p[1] - c[1], p[2] - c[2], n[0], n[1], n[2])
      for (let k = 0; k < 6; k++) {
        const along = (h: number): number => {
          const q = transformPoint(
            motionAbout(
              [0, 1, 2, 3, 4, 5].map((x) => (x === k ? h : 0)),
              c,
            ),
            p[0],
            p[1],
            p[2],
          )
          return q[0] * n[0] + q[1] * n[1] + q[2] * n[2]
        }
        expect(row[k]).toBeCloseTo((along(1e-5) - along(-1e-5)) / 2e-5, 6)
      }
    }
  })
  test('a turn about a place leaves the place', () => {
    const at = transformPoint(motionAbout([0.3, -0.2, 0.5, 0, 0, 0], [4, 5, 6]), 4, 5, 6)
    at.forEach((v, k) => expect(v).toBeCloseTo([4, 5, 6][k], 12))
  })
  test('Tukey’s weight is one at nothing, none from the limit on, and even', () => {
    expect([0, 0.5, 1, -1, 7].map(tukeyWeight)).toEqual([1, 0.5625, 0, 0, 0])
    expect(tukeyWeight(-0.3)).toBe(tukeyWeight(0.3))
  })
})

test('weighted normal equations solve as a general-purpose library does (ml-matrix)', () => {
  const rows = Array.from({ length: 30 }, () => draw(7)),
    residuals = draw(30),
    weights = draw(30).map((v) => v * v + 0.1)
  const equations = new NormalEquations(7),
    x = new Float64Array(7)
  rows.forEach((row, i) => equations.add(row, residuals[i], weights[i]))
  equations.mirror()
  expect(equations.solve(x)).toBe(true)
  const a = new Matrix(rows.map((row, i) => Array.from(row, (v) => v * Math.sqrt(weights[i]))))
  const b = Matrix.columnVector(Array.from(residuals, (r, i) => -r * Math.sqrt(weights[i])))
  solve(a, b)
    .to1DArray()
    .forEach((v, k) => expect(x[k]).toBeCloseTo(v, 9))
  equations.clear()
  expect(equations.solve(x)).toBe(false)
})

test('damping adds a share of the mean turn and of the mean shift', () => {
  const h = new Float64Array(36)
  ;[3, 6, 9, 30, 60, 90].forEach((v, c) => (h[c * 7] = v))
  dampTwist(h, 0.5, 1)
  expect([0, 1, 2, 3, 4, 5].map((c) => h[c * 7])).toEqual([7, 10, 13, 61, 91, 121])
})

describe('pairs of one direction', () => {
  const box = prepareCloud({ kind: 'cloud', positions: boxPoints(4000, [40, 30, 20], 3) }, quietContext())
  const moved = rotationMotion([0.2, 1, 0.4], 0.01, [0.2, -0.1, 0.15])
  const pairsAt = (minCosine?: number) => {
    const d = noPairs(box.features.order)
    pairDirection(d, box, box, moved, identityMotion(), 2, [0, 0, 0], box.sizeMm, minCosine)
    return d
  }
  test('are nearest points, within the limit, with unit normals between theirs', () => {
    const d = pairsAt()
    expect(d.count).toBeGreaterThan(500)
    for (let at = 0; at < d.count * PAIR_SIZE; at += PAIR_SIZE) {
      expect(Math.hypot(d.pair[at + 3], d.pair[at + 4], d.pair[at + 5])).toBeCloseTo(1, 6)
      expect(d.pair[at + APART2]).toBeLessThanOrEqual(4)
      expect(d.pair[at + ALONG] ** 2).toBeLessThanOrEqual(d.pair[at + APART2] * (1 + 1e-9))
    }
    expect(pairsAt(0.9999).count).toBeLessThan(d.count)
  })
  test('kept from round to round are those sought anew', () => {
    const kept = pairsAt()
    const fresh = noPairs(box.features.order)
    for (const step of [0.002, 0.004, 0.02]) {
      const further = rotationMotion([0.2, 1, 0.4], 0.01 - step / 4, [0.2 - step, -0.1, 0.15])
      pairDirection(kept, box, box, further, identityMotion(), 2, [0, 0, 0], box.sizeMm)
      const anew = noPairs(fresh.sample)
      pairDirection(anew, box, box, further, identityMotion(), 2, [0, 0, 0], box.sizeMm)
      expect(kept.count).toBe(anew.count)
      expect(kept.pair.subarray(0, kept.count * PAIR_SIZE)).toEqual(anew.pair.subarray(0, anew.count * PAIR_SIZE))
    }
  })
  test('pull the moved one back, whichever of the two is said to move', () => {
    const d = pairsAt()
    const steps = ([1, -1] as const).map((sign) => {
      const equations = new NormalEquations(6),
        x = new Float64Array(6)
      addPairs(equations, d, sign, 1)
      equations.mirror()
      expect(equations.solve(x)).toBe(true)
      return x
    })
    steps[0].forEach((v, k) => expect(v).toBeCloseTo(-steps[1][k], 9))
    // One step undoes most of the shift.
    const [x, y, z] = transformPoint(motionAbout(steps[0], [0, 0, 0]), ...transformPoint(moved, 0, 0, 0))
    expect(Math.hypot(x, y, z)).toBeLessThan(0.3 * Math.hypot(0.2, 0.1, 0.15))
  })
})
