import { expect, test } from 'vitest'
import { dabsAlong, type Spot } from './dabs'

const spot = (x: number, pressure = 1): Spot => ({ at: [x, 0, 0], pressure })

test('a stroke begins with a dab, and goes on with dabs a fifth of the radius apart, however it is cut into stretches', () => {
  const once = dabsAlong(null, [spot(0), spot(3), spot(10)], 5)
  expect(once.dabs.map(([x]) => x)).toEqual([0, 1, 2, 3, 4, 5, 6, 7, 8, 9, 10])
  const first = dabsAlong(null, [spot(0), spot(3)], 5)
  const second = dabsAlong(first.last, [spot(3), spot(10)], 5)
  expect([...first.dabs, ...second.dabs]).toEqual(once.dabs)
})
test('pressure goes over from place to place; a hand that rests makes no more dabs', () => {
  const { dabs, last } = dabsAlong(spot(0, 0), [spot(4, 1)], 5)
  expect(dabs.map(([, , , p]) => p)).toEqual([0.25, 0.5, 0.75, 1])
  expect(dabsAlong(last, [spot(4.2), spot(4.4)], 5).dabs).toEqual([])
})
test('a leap makes no endless row of dabs, and what comes after it begins where it ended', () => {
  const { dabs, last } = dabsAlong(spot(0), [spot(1e6)], 5)
  expect(dabs).toHaveLength(60)
  expect(last!.at[0]).toBe(1e6)
})
