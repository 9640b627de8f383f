import { describe, expect, test } from 'vitest'
import { motionRows, rotationMotion } from '@holosoma/core'
import { compose } from '@holosoma/core/linear'
import { extentOf, middleOf, movedMotions, placeOf, screwRows, slideRows, timesRows } from './joining'
import type { JoinSlide } from '@holosoma/core/operations'

const near = (a: readonly (readonly number[])[], b: readonly (readonly number[])[]): void =>
  a.forEach((row, r) => row.forEach((v, c) => expect(v).toBeCloseTo(b[r][c], 9)))
const slide: JoinSlide = {
  kind: 'translation',
  free: true,
  playMm: null,
  boundMm: 5,
  axis: [0, 0, 1],
  point: [0, 0, 0],
  pitchMm: null,
  movers: ['b'],
  stayers: ['a'],
}

describe('motions as the stage plays them', () => {
  test('rows multiply as motions do; a turn about an axis leaves its points alone', () => {
    const a = rotationMotion([1, 2, 3], 0.7, [4, 5, 6]),
      b = rotationMotion([-1, 0, 2], 1.9, [0, 1, -3])
    near(timesRows(motionRows(a), motionRows(b)), motionRows(compose(a, b)))
    near(screwRows([0, 0, 2], [0, 0, 0], 0.6, 0), motionRows(rotationMotion([0, 0, 1], 0.6)))
    const turn = screwRows([1, 1, 0], [3, 4, 5], 2.1, 0)
    for (const t of [0, -7, 12])
      placeOf(turn, [3 + t, 4 + t, 5]).forEach((v, k) => expect(v).toBeCloseTo([3 + t, 4 + t, 5][k], 9))
    expect(placeOf(screwRows([0, 1, 0], [3, 0, 5], 2.1, 4), [3, 0, 5])[1]).toBeCloseTo(4, 9)
  })
  test('a free slide goes as far as it is bound, a small play is shown larger than it is, a screw advances as it turns', () => {
    expect(slideRows(slide, 100, 1)[2][3]).toBeCloseTo(5, 9)
    expect(slideRows(slide, 100, -0.5)[2][3]).toBeCloseTo(-2.5, 9)
    expect(slideRows({ ...slide, boundMm: null }, 100, 1)[2][3]).toBeCloseTo(12, 9)
    expect(slideRows({ ...slide, free: false, playMm: 0.004 }, 100, 1)[2][3]).toBeCloseTo(3, 9)
    const screw = slideRows({ ...slide, kind: 'screw', pitchMm: 10, boundMm: null }, 100, 1)
    expect(screw[2][3]).toBeCloseTo((12 / 50) * 10, 9)
    expect(screw[0][0]).toBeCloseTo(Math.cos(12 / 50), 9)
  })
  test('only the movers move; size and middle are those of the points', () => {
    const still = motionRows(rotationMotion([0, 0, 1], 0))
    const moved = movedMotions({ a: still, b: still }, ['b'], slideRows(slide, 100, 1))
    expect(moved.a).toBe(still)
    expect(moved.b[2][3]).toBeCloseTo(5, 9)
    const box = Float32Array.of(0, 0, 0, 2, 0, 0, 2, 4, 0, 0, 4, 4)
    expect(extentOf(box)).toBeCloseTo(6, 6)
    expect(middleOf(box)).toEqual([1, 2, 1])
    expect(middleOf(undefined)).toBeNull()
  })
})
