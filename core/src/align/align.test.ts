import { beforeAll, describe, expect, test } from 'vitest'
import { quietContext } from '../context'
import { seededRandom } from '../linear/random'
import {
  compose,
  identityMotion,
  invertRigid,
  rotationAngle,
  rotationMotion,
  transformPoint,
  transformPoints,
  type Motion,
} from '../linear/rigid'
import { indicesWhere, pickPoints, type PointCloud } from '../shapes'
import { captureTake, LAMP_TAKES, roughMotion, TABLETOP_DEVICE } from '../bench/capture'
import { OIL_LAMP } from '../bench/pieces'
import { spherePoints } from '../testing/solids'
import { matchFine } from './refine/icp'
import { prepareCloud } from './oriented-cloud'
import { measureOverlap } from './overlap'
import { rigidFromPairs } from './marks/pairs'

const f64 = (...v: number[]) => Float64Array.from(v)
const through = (m: Motion, p: Float64Array): Float64Array =>
  f64(...Array.from({ length: p.length / 3 }, (_, i) => transformPoint(m, p[i * 3], p[i * 3 + 1], p[i * 3 + 2])).flat())

describe('rigid motion from pairs', () => {
  // Closed form: three points turned by 90° about z and shifted. From first principles.
  test('a quarter turn and a shift, exactly', () => {
    const fit = rigidFromPairs(f64(0, 0, 0, 2, 0, 0, 0, 1, 0), f64(5, 6, 7, 5, 8, 7, 4, 6, 7))
    expect(fit.rmsMm).toBeLessThan(1e-12)
    const expected = rotationMotion([0, 0, 1], Math.PI / 2, [5, 6, 7])
    fit.motion.forEach((v, i) => expect(v).toBeCloseTo(expected[i], 12))
  })
  // Umeyama 1991, TPAMI 13(4), section IV: the triangle (0,0) (1,0) (0,2) against (0,0) (−1,0) (0,2) is a mirror in the
  // plane. In space the best proper motion is a half turn about the y axis, which fits exactly (from memory of the
  // paper's figures; the half turn itself is elementary).
  test('the published mirror example becomes a half turn in space and never a mirror', () => {
    const fit = rigidFromPairs(f64(0, 0, 0, 1, 0, 0, 0, 2, 0), f64(0, 0, 0, -1, 0, 0, 0, 2, 0))
    expect(fit.rmsMm).toBeLessThan(1e-12)
    expect((rotationAngle(fit.motion) * 180) / Math.PI).toBeCloseTo(180, 6)
  })
  test('a mirrored tetrahedron is answered with a rotation, as well as it goes', () => {
    const p = f64(0, 0, 0, 1, 0, 0, 0, 1, 0, 0, 0, 1)
    const { motion: m, rmsMm } = rigidFromPairs(
      p,
      p.map((v, i) => (i % 3 === 0 ? -v : v)),
    )
    const det =
      m[0] * (m[5] * m[10] - m[6] * m[9]) - m[1] * (m[4] * m[10] - m[6] * m[8]) + m[2] * (m[4] * m[9] - m[5] * m[8])
    expect(det).toBeCloseTo(1, 10)
    expect(rmsMm).toBeGreaterThan(0.1)
  })
  test('the true motion comes back for 50 seeded pairs sets, and the residuals with noise are the noise', () => {
    for (let seed = 1; seed <= 50; seed++) {
      const r = seededRandom(seed)
      const p = f64(...Array.from({ length: 8 * 3 }, () => r.gaussian() * 40))
      const m = rotationMotion([r.gaussian(), r.gaussian(), r.gaussian()], r.next() * 3, [r.gaussian() * 99, 0, 5])
      const q = through(m, p)
      rigidFromPairs(p, q).motion.forEach((v, i) => expect(v).toBeCloseTo(m[i], 8))
      const noisy = q.map((v) => v + 0.1 * r.gaussian())
      const fit = rigidFromPairs(p, noisy)
      expect(fit.rmsMm).toBeLessThan(0.45)
      expect(Math.hypot(...fit.residualMm) / Math.sqrt(8)).toBeCloseTo(fit.rmsMm, 10)
    }
  })
  test.each<[string, number[], number[], string]>([
    ['two pairs', [0, 0, 0, 1, 0, 0], [0, 0, 0, 1, 0, 0], 'Three pairs or more are needed; there are 2'],
    ['one pair', [0, 0, 0], [0, 0, 0], 'there is 1'],
    ['coincident picks', [1, 1, 1, 1, 1, 1, 1, 1, 1], [0, 0, 0, 1, 0, 0, 0, 1, 0], 'first take are all at one place'],
    ['picks on one line', [0, 0, 0, 1, 0, 0, 5, 0, 0], [0, 0, 0, 1, 0, 0, 0, 1, 0], 'first take lie on one line'],
    [
      'picks on one line on the other side',
      [0, 0, 0, 1, 0, 0, 0, 1, 0],
      [0, 0, 0, 1, 1, 1, 2, 2, 2],
      'second take lie on one line',
    ],
    ['a broken number', [0, 0, 0, 1, 0, NaN, 0, 1, 0], [0, 0, 0, 1, 0, 0, 0, 1, 0], 'not a number'],
    ['sides of different length', [0, 0, 0], [0, 0, 0, 1, 0, 0], 'same number of points'],
  ])('%s are refused', (_what, a, b, sentence) => expect(() => rigidFromPairs(f64(...a), f64(...b))).toThrow(sentence))
})

describe('fine matching on two takes of the lamp', () => {
  let takes: PointCloud[]
  let truth: Motion
  beforeAll(() => {
    const captured = LAMP_TAKES.map((plan, i) =>
      captureTake(OIL_LAMP, plan, TABLETOP_DEVICE, 50 + i, quietContext(), { spacingMm: 0.8, pitchMm: 0.72 }),
    )
    takes = captured.map(({ cloud }) => {
      const keep = indicesWhere(
        Uint8Array.from({ length: cloud.positions.length / 3 }, (_, i) => (cloud.positions[i * 3 + 2] > 0.6 ? 1 : 0)),
        1,
      )
      const { positions, frame, frameOrigins } = pickPoints(cloud, keep)
      return { kind: 'cloud', positions, frame: frame!, frameOrigins: frameOrigins! }
    })
    truth = compose(captured[0].truth, invertRigid(captured[1].truth))
  })
  const off = (m: Motion): { deg: number; mm: number } => {
    const delta = compose(invertRigid(truth), m)
    return {
      deg: (rotationAngle(delta) * 180) / Math.PI,
      mm: Math.hypot(...transformPoint(delta, 0, 0, 20).map((v, i) => v - [0, 0, 20][i])),
    }
  }

  test('from five rough starts (10° and 5 % of the size off) to the truth, either take fixed', () => {
    const [a, b] = takes.map((t) => prepareCloud(t, quietContext()))
    for (let seed = 1; seed <= 5; seed++) {
      const start = roughMotion(truth, [0, 0, 20], seed, 10, 7)
      const there = matchFine(b, a, start, {}, quietContext())
      const back = matchFine(a, b, invertRigid(start), {}, quietContext())
      expect(there.stop).toBe('converged')
      for (const m of [there.motion, invertRigid(back.motion)]) {
        const { deg, mm } = off(m)
        expect(deg).toBeLessThan(0.03)
        expect(mm).toBeLessThan(0.02)
      }
      expect(there.scatterMm).toBeLessThan(0.08)
      expect(there.iterations).toBeGreaterThan(3)
    }
  })
  test('overlap and residual say what the truth says', () => {
    const [a, b] = takes.map((t) => prepareCloud(t, quietContext()))
    const o = measureOverlap(b, a, truth)
    expect(o.share).toBeGreaterThan(0.4)
    expect(o.share).toBeLessThan(0.75)
    expect(o.rmsMm / o.expectedMm).toBeLessThan(1.4)
    expect(o.p95Mm).toBeGreaterThan(o.rmsMm)
    const { counts, fromMm, stepMm } = o.histogram
    const mean =
      counts.reduce((s, c, i) => s + c * (fromMm + (i + 0.5) * stepMm), 0) / counts.reduce((s, c) => s + c, 0)
    expect(Math.abs(mean)).toBeLessThan(0.01)
    // Moved apart by a millimetre, the surfaces hardly meet and the residual tells.
    const shifted = compose(rotationMotion([0, 0, 1], 0, [0, 0, 1]), truth)
    expect(measureOverlap(b, a, shifted).rmsMm).toBeGreaterThan(2 * o.rmsMm)
  })
  test('two takes without a common place are refused', () => {
    const far = {
      ...takes[1],
      positions: transformPoints(rotationMotion([0, 0, 1], 0, [900, 0, 0]), takes[1].positions),
    }
    const [a, b] = [takes[0], { kind: 'cloud' as const, positions: far.positions }].map((t) =>
      prepareCloud(t, quietContext()),
    )
    expect(() => matchFine(b, a, identityMotion(), {}, quietContext())).toThrow('no common surface near this start')
  })
  test('what the surface leaves free does not run away: a ball in a ball', () => {
    const a = prepareCloud(spherePoints(20, 3000), quietContext())
    const b = prepareCloud(
      {
        kind: 'cloud',
        positions: transformPoints(rotationMotion([1, 0, 0], 0.5, [0.4, 0, 0]), spherePoints(20, 2900).positions),
      },
      quietContext(),
    )
    const { motion } = matchFine(b, a, identityMotion(), {}, quietContext())
    expect(rotationAngle(motion)).toBeLessThan(0.2)
    expect(Math.hypot(motion[3] + 0.4, motion[7], motion[11])).toBeLessThan(0.05)
  })
  test('can be stopped', () => {
    const [a, b] = takes.map((t) => prepareCloud(t, quietContext()))
    expect(() => matchFine(b, a, truth, {}, { ...quietContext(), cancelled: () => true })).toThrow(
      'Stopped at your request',
    )
  })
})
