import { expect, test } from 'vitest'
import { niceStep, standsClear } from './floor'

test('steps of grid and scale bar are 1, 2 or 5 times a power of ten, near what was asked', () => {
  for (let about = 0.013; about < 9000; about *= 1.07) {
    const step = niceStep(about)
    const lead = step / 10 ** Math.floor(Math.log10(step) + 1e-9)
    expect([1, 2, 5].some((v) => Math.abs(lead - v) < 1e-9)).toBe(true)
    expect(step / about).toBeGreaterThan(0.57)
    expect(step / about).toBeLessThan(1.5)
  }
})

test('a figure of the floor stands whole and clear of buttons, scale and the mark for up, or not at all', () => {
  expect(standsClear(0, 0, 870, 580)).toBe(true)
  // Under the buttons at the upper edge, over the scale at the lower one, cut by the sides.
  for (const [x, y] of [
    [-0.9, 0.9],
    [0, 0.85],
    [-0.8, -0.9],
    [0.99, 0],
    [-0.96, 0],
    [0, 1.2],
  ])
    // prettier-ignore
    expect(standsClear(x, y, 870, 580)).toBe(false)
})
