import { expect, test } from 'vitest'
import { niceStep } from './floor'

test('steps of grid and scale bar are 1, 2 or 5 times a power of ten, near what was asked', () => {
  for (let about = 0.013; about < 9000; about *= 1.07) {
    const step = niceStep(about)
    const lead = step / 10 ** Math.floor(Math.log10(step) + 1e-9)
    expect([1, 2, 5].some((v) => Math.abs(lead - v) < 1e-9)).toBe(true)
    expect(step / about).toBeGreaterThan(0.57)
    expect(step / about).toBeLessThan(1.5)
  }
})
