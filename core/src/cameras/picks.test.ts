import { describe, expect, test } from 'vitest'
import { compose, rotationMotion, transformPoint } from '../linear/rigid'
import { seededRandom } from '../linear/random'
import { project, STRAIGHT, type Camera } from '../view/camera'
import { poseFromPicks, type PhotoPick } from './pose-from-picks'
import { picksRecordSchema } from './picks-record'
import { realRoots, threePointPoses } from './three-points'

const camera = (focalPx: number, seed: number): Camera => {
  const random = seededRandom(seed)
  const axis = [random.gaussian(), random.gaussian(), random.gaussian()]
  return {
    widthPx: 4000,
    heightPx: 3000,
    focalPx,
    principalPx: [2000, 1500],
    distortion: STRAIGHT,
    motion: rotationMotion(axis, random.next() * 3, [10 * random.gaussian(), 10 * random.gaussian(), 350]),
  }
}
const picksOf = (c: Camera, count: number, noisePx: number, seed: number): PhotoPick[] => {
  const random = seededRandom(seed)
  const shown = new Float64Array(3)
  return Array.from({ length: count }, () => {
    const at = [0, 1, 2].map(() => 120 * (random.next() - 0.5)) as [number, number, number]
    project(c, ...at, shown)
    return { px: [shown[0] + noisePx * random.gaussian(), shown[1] + noisePx * random.gaussian()], at }
  })
}
/** How far two cameras show the middle of the picked places apart, px. */
const apart = (a: Camera, b: Camera, picks: readonly PhotoPick[]): number => {
  const one = new Float64Array(3),
    other = new Float64Array(3)
  return Math.max(
    ...picks.map(({ at }) => {
      project(a, ...at, one)
      project(b, ...at, other)
      return Math.hypot(one[0] - other[0], one[1] - other[1])
    }),
  )
}

describe('three points', () => {
  test('roots of polynomials that are known', () => {
    const roots = realRoots(QUARTIC).sort((a, b) => a - b)
    expect(roots).toHaveLength(4)
    ;[-3, 0.5, 1, 2].forEach((r, i) => expect(roots[i]).toBeCloseTo(r, 8))
    // x² + 1 has none.
    expect(realRoots([1, 0, 1])).toEqual([])
  })

  test('the corners of a square that leans lie where its size, lean and distance say', () => {
    // Turned by 0.5 about the upright axis at a distance of 400: x′ = x·cos, z′ = 400 − x·sin (elementary geometry).
    const square = [-50, -50, 0, 50, -50, 0, 50, 50, 0]
    const seen = [0, 3, 6].flatMap((i) =>
      unit([square[i] * Math.cos(0.5), square[i + 1], 400 - square[i] * Math.sin(0.5)]),
    )
    const ways = threePointPoses(seen, square)
    expect(Math.min(...ways.map((m) => Math.abs(m[11] - 400)))).toBeLessThan(1e-3)
    const [m] = ways.filter((w) => Math.abs(w[11] - 400) < 1e-3)
    expect(m[0]).toBeCloseTo(Math.cos(0.5), 5)
    expect(m[8]).toBeCloseTo(-Math.sin(0.5), 5)
  })

  test('of any three points one way is the true one', () => {
    for (let seed = 1; seed <= 200; seed++) {
      const c = camera(3000, seed)
      const picks = picksOf(c, 3, 0, seed + 500)
      const rays = picks.flatMap(({ at }) => unit(transformPoint(c.motion, ...at)))
      const ways = threePointPoses(
        rays,
        picks.flatMap(({ at }) => [...at]),
      )
      const nearest = Math.min(...ways.map((m) => Math.max(...m.map((v, i) => Math.abs(v - c.motion[i])))))
      expect(nearest, `seed ${seed}`).toBeLessThan(1e-3)
    }
  })
})

/** (x − 1)(x − 2)(x + 3)(x − 0.5), from the constant up. */
const QUARTIC = [-3, 9.5, -7, -0.5, 1]

const unit = (v: readonly number[]): number[] => v.map((x) => x / Math.hypot(...v))

describe('four picks and more', () => {
  test('exact picks of a lens nobody knows give the camera to a pixel of 4,000', () => {
    for (let seed = 1; seed <= 20; seed++) {
      const c = camera(3400, seed)
      const picks = picksOf(c, 6, 0, seed + 50)
      const { camera: found, rmsPx, mirrored } = poseFromPicks(picks, 4000, 3000, null)
      expect(rmsPx).toBeLessThan(1)
      expect(mirrored).toBe(false)
      expect(apart(c, found, picksOf(c, 50, 0, seed))).toBeLessThan(25)
    }
  })

  test('a lens that is known to 2 %, and a hand that is off by 6 pixels of 4,000', () => {
    const off = Array.from({ length: 40 }, (_, i) => {
      const c = camera(3400, i + 1)
      const { camera: found } = poseFromPicks(picksOf(c, 6, 6, i + 90), 4000, 3000, { focalPx: 3448, sure: 0.02 })
      return apart(c, found, picksOf(c, 50, 0, i))
    }).sort((a, b) => a - b)
    // The farthest of fifty places all over the piece.
    expect(off[20]).toBeLessThan(45)
  })

  test('one wrong pick of six is named by its distance', () => {
    const c = camera(3400, 4)
    const picks = picksOf(c, 6, 3, 9).map((p, i) =>
      i === 2 ? { ...p, px: [p.px[0] + 400, p.px[1] - 300] as const } : p,
    )
    const { residualsPx } = poseFromPicks(picks, 4000, 3000, { focalPx: 3400, sure: 0.02 })
    expect(residualsPx.indexOf(Math.max(...residualsPx))).toBe(2)
    expect(residualsPx[2]).toBeGreaterThan(200)
  })

  test('picks of a mirrored photo are known', () => {
    const c = camera(3400, 7)
    const picks = picksOf(c, 7, 2, 3).map((p) => ({ ...p, px: [4000 - p.px[0], p.px[1]] as const }))
    expect(poseFromPicks(picks, 4000, 3000, { focalPx: 3400, sure: 0.02 }).mirrored).toBe(true)
  })

  test('three are too few', () => {
    const c = camera(3400, 7)
    expect(() => poseFromPicks(picksOf(c, 3, 0, 1), 4000, 3000, null)).toThrow(/needs 4 picks or more; there are 3/)
  })

  test('a file of picks is checked', () => {
    const good = { file: 'a.jpg', pairs: [{ px: [1, 2], at: [1, 2, 3] }], turn: { stepDeg: 15 } }
    expect(picksRecordSchema.validate(good).error).toBeUndefined()
    for (const bad of [
      { ...good, pairs: [] },
      { ...good, turn: { stepDeg: 0 } },
      { ...good, turn: { axis: { at: [0, 0, 0], direction: [0, 0, 0] } } },
      { ...good, pairs: [{ px: [1, Infinity], at: [1, 2, 3] }] },
      { ...good, photos: ['a.jpg', 'a.jpg'] },
    ])
      expect(picksRecordSchema.validate(bad).error, JSON.stringify(bad)).toBeDefined()
  })
})

test('motions compose as the picks want them: mesh to camera', () => {
  const c = camera(3400, 3)
  const turned = { ...c, motion: compose(c.motion, rotationMotion([0, 0, 1], 0.3)) }
  const picks = picksOf(turned, 6, 0, 5)
  expect(apart(turned, poseFromPicks(picks, 4000, 3000, { focalPx: 3400, sure: 0.001 }).camera, picks)).toBeLessThan(
    0.5,
  )
})
