import { expect, test } from 'vitest'
import { across } from './across'
import { circleAcross } from './circle'

const frame = new Float64Array(6)
across(0.6, 0, 0.8, frame)
/** Points of a screw line round an axis through a place: seen along it, a circle of 7. */
const p = Float64Array.from(
  Array.from({ length: 12 }, (_, i) => {
    const [c, s] = [7 * Math.cos(i * 0.2), 7 * Math.sin(i * 0.2)]
    return [0, 1, 2].map((k) => [3, -4, 9][k] + c * frame[k] + s * frame[3 + k] + i * [0.6, 0, 0.8][k])
  }).flat(),
)
const points = [...Array(12).keys()]

test('a circle seen along its axis comes back from a part of it', () => {
  const { u, v, radius } = circleAcross(p, points, frame)!
  expect(radius).toBeCloseTo(7, 9)
  expect(u).toBeCloseTo(3 * frame[0] - 4 * frame[1] + 9 * frame[2], 9)
  expect(v).toBeCloseTo(3 * frame[3] - 4 * frame[4] + 9 * frame[5], 9)
})
test('what does not count does not move it; a line tells none', () => {
  const bent = p.slice()
  bent[0] += 5
  const weights = Float64Array.from(points, (i) => (i === 0 ? 0 : 1))
  expect(circleAcross(bent, points, frame, weights)!.radius).toBeCloseTo(7, 9)
  expect(circleAcross(Float64Array.of(0, 0, 0, 1, 0, 0, 2, 0, 0), [0, 1, 2], frame)).toBeNull()
})
