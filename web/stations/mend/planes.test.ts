import { expect, test } from 'vitest'
import { missesBox, planeAt, planeThrough } from './planes'

const box = { min: [-10, -20, 0], max: [10, 20, 30] }
test('a plane so deep inside the box faces what stays', () => {
  expect(planeAt(box, [0, 0, 1], 2)).toEqual({ normal: [0, 0, 1], offsetMm: 2 })
  expect(planeAt(box, [0, -1, 0], 3)).toEqual({ normal: [0, -1, 0], offsetMm: -17 })
})
test('through three places it lies, in whatever order they come, and the middle stays', () => {
  for (const places of [
    [
      [0, 0, 5],
      [8, 0, 5],
      [0, 8, 5],
    ] as const,
    [
      [0, 8, 5],
      [8, 0, 5],
      [0, 0, 5],
    ] as const,
  ]) {
    const { normal, offsetMm } = planeThrough(places, box)
    expect(normal[2]).toBeCloseTo(1, 12)
    expect(offsetMm).toBeCloseTo(5, 12)
  }
  expect(() =>
    planeThrough(
      [
        [0, 0, 0],
        [1, 1, 1],
        [3, 3, 3],
      ],
      box,
    ),
  ).toThrow('in one line')
})
test('a plane beside the box has all of it on one side; one that says nothing is not judged', () => {
  expect(missesBox(box, { normal: [0, 0, 2], offsetMm: 15 })).toBe(false)
  expect(missesBox(box, { normal: [0, 0, 2], offsetMm: 31 })).toBe(true)
  expect(missesBox(box, { normal: [0, -1, 0], offsetMm: -21 })).toBe(true)
  expect(missesBox(box, { normal: [0, 0], offsetMm: 99 })).toBe(false)
  expect(missesBox(box, { normal: [0, 0, 1] })).toBe(false)
})
