import { describe, expect, test } from 'vitest'
import { spherePoints } from '@holosoma/core/testing/solids'
import { rotationMotion, motionRows } from '@holosoma/core'
import { sliceOf, spanOf } from './slicing'

const ball = spherePoints(10, 20_000)

describe('a section through points', () => {
  test('of a ball at height h is a ring of radius √(r² − h²), however the ball is turned', () => {
    for (const [axis, at] of [
      [2, 6],
      [0, -8],
      [1, 0],
    ] as const) {
      const rows = motionRows(rotationMotion([1, 2, 3], 0.7, [5, -3, 2]))
      const centre = rows.slice(0, 3).map((r) => r[3])
      const xy = sliceOf(ball, rows, axis, centre[axis] + at, 0.1)
      expect(xy.length).toBeGreaterThan(200)
      const middle = axis === 0 ? [centre[1], centre[2]] : axis === 1 ? [centre[0], centre[2]] : [centre[0], centre[1]]
      for (let i = 0; i < xy.length; i += 2)
        expect(Math.abs(Math.hypot(xy[i] - middle[0], xy[i + 1] - middle[1]) - Math.sqrt(100 - at * at))).toBeLessThan(
          0.2,
        )
    }
  })
  test('the span is that of the turned shape', () => {
    const span = spanOf(ball, motionRows(rotationMotion([0, 0, 1], 1, [0, 0, 40])), 2)
    expect(span.low).toBeCloseTo(30, 1)
    expect(span.high).toBeCloseTo(50, 1)
    expect(span.spacingMm).toBeGreaterThan(0.1)
    expect(span.spacingMm).toBeLessThan(0.5)
  })
})
