import { expect, test } from 'vitest'
import { seededRandom } from '@holosoma/core/linear'
import { previewIndices } from '@holosoma/core/mesh'
import { emptyBits, hasBit, sameBits, setBit } from '@holosoma/core/select'
import { markOf, NOWHERE, orderOf } from './marking'

/** More points than a preview holds, and a number that fills no whole byte. */
const POINTS = 300_003

test('marks are those of the preview’s points, in its order', () => {
  const random = seededRandom(1),
    bits = emptyBits(POINTS)
  for (let k = 0; k < 5000; k++) setBit(bits, Math.floor(random.next() * POINTS))
  const order = previewIndices(POINTS)
  expect(order.length).toBeLessThan(POINTS)
  expect(
    sameBits(
      markOf(bits, POINTS),
      Uint8Array.from(order, (i) => Number(hasBit(bits, i))),
    ),
  ).toBe(true)
})
test('each point knows its place in the preview, or that it has none', () => {
  const { points, slots } = orderOf(POINTS)
  points.forEach((i, k) => {
    if (slots[i] !== k) throw new Error(`point ${i} stands at ${k}, not at ${slots[i]}`)
  })
  expect(slots.filter((k) => k === NOWHERE).length).toBe(POINTS - points.length)
})
