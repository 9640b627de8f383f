import { describe, expect, test } from 'vitest'
import { seededRandom } from '../../linear/random'
import {
  compose,
  identityMotion,
  invertRigid,
  rotationAngle,
  rotationMotion,
  transformPoint,
  type Motion,
} from '../../linear/rigid'
import type { FoundDot } from '../../tidy/dots'
import { flipsOf, matchDots, movedDot } from './match-dots'
import type { FreeMotion } from '../slippage'

const random = seededRandom(8)
/** Dots on a ball of 30 mm. */
const dotsOn = (n: number): FoundDot[] =>
  Array.from({ length: n }, () => {
    const d = [random.gaussian(), random.gaussian(), random.gaussian()],
      l = Math.hypot(...d)
    const normal = d.map((v) => v / l) as [number, number, number]
    return { normal, centre: normal.map((v) => v * 30) as [number, number, number], radiusMm: 2.5 }
  })
const seen = (dots: readonly FoundDot[], m: Motion, noiseMm = 0.05): FoundDot[] =>
  dots.map((d) => {
    const moved = movedDot(d, m)
    return { ...moved, centre: moved.centre.map((v) => v + noiseMm * random.gaussian()) as [number, number, number] }
  })
const degrees = (m: Motion, n: Motion): number => (rotationAngle(compose(invertRigid(m), n)) * 180) / Math.PI
const axis: FreeMotion = {
  kind: 'rotation',
  axis: [0, 0, 1],
  point: [0, 0, 0],
  pitchMm: 0,
  free: true,
  playMm: Infinity,
  boundMm: Infinity,
  twist: new Float64Array(6),
}

describe('dots of two takes', () => {
  test('by the distances between them alone: ten dots, seven of them shared, in any pose; strangers stay out', () => {
    for (let n = 0; n < 10; n++) {
      const dots = dotsOn(13)
      const truth = rotationMotion(
        [random.gaussian(), random.gaussian(), random.gaussian()],
        3 * random.next(),
        [20, -4, 9],
      )
      const found = matchDots(
        seen(dots.slice(0, 10), invertRigid(truth)),
        dots.slice(3),
        [identityMotion()],
        null,
        0.6,
      )!
      expect(found.pairs.length).toBe(7)
      for (const [i, j] of found.pairs) expect(j).toBe(i - 3)
      expect(found.ambiguous).toBe(false)
      expect(degrees(found.motion, truth)).toBeLessThan(0.5)
      expect(found.rmsMm).toBeLessThan(0.25)
    }
  })
  test('one dot settles a turn about a free axis; two that may change places do not', () => {
    const [dot] = dotsOn(1)
    const truth = rotationMotion([0, 0, 1], 1.3)
    const one = matchDots(seen([dot], invertRigid(truth), 0.02), [dot], [identityMotion()], axis, 0.5)!
    expect(one.pairs).toEqual([[0, 0]])
    expect(one.ambiguous).toBe(false)
    expect(degrees(one.motion, truth)).toBeLessThan(0.3)
    // Two dots at one height, half a turn apart: turned by half a turn both come together again.
    const pair: FoundDot[] = [
      [20, 0, 5],
      [-20, 0, 5],
    ].map((at) => ({ centre: at as [number, number, number], normal: [Math.sign(at[0]), 0, 0], radiusMm: 2.5 }))
    expect(matchDots(seen(pair, invertRigid(truth), 0.01), pair, [identityMotion()], axis, 0.5)).toMatchObject({
      ambiguous: true,
    })
  })
  test('a dot that faces another way is another dot, and none is none', () => {
    const [dot] = dotsOn(1)
    expect(
      matchDots(
        [{ ...dot, normal: dot.normal.map((v) => -v) as [number, number, number] }],
        [dot],
        [identityMotion()],
        null,
        0.5,
      ),
    ).toBeNull()
    expect(matchDots([], [dot], [identityMotion()], axis, 0.5)).toBeNull()
    expect(matchDots([dot], [dot], [identityMotion()], axis, 0.5, () => false)).toBeNull()
  })
  test('flips turn a piece end for end about its middle', () => {
    for (const f of flipsOf({ ...axis, point: [1, 2, 3] })) {
      expect(degrees(f, identityMotion())).toBeCloseTo(180, 6)
      const p = transformPoint(f, 1, 2, 3)
      expect(Math.hypot(p[0] - 1, p[1] - 2, p[2] - 3)).toBeLessThan(1e-9)
      expect(transformPoint(f, 1, 2, 13)[2]).toBeCloseTo(-7, 9)
    }
  })
})
