import { expect, test } from 'vitest'
import type { PointCloud } from '@holosoma/core'
import { seededRandom } from '@holosoma/core/linear/random'
import { previewIndices } from '@holosoma/core/preview'
import { emptyBits, hasBit, setBit } from '@holosoma/core/select/bits'
import { markOf } from './marking'

/** More points than a preview holds, and a number that fills no whole byte. */
const POINTS = 300_003
const cloud = (): PointCloud => ({ kind: 'cloud', positions: new Float32Array(POINTS * 3) })
const order = previewIndices(POINTS)

function some(seed: number, count: number, from?: Uint8Array): Uint8Array {
  const random = seededRandom(seed), bits = from ? from.slice() : emptyBits(POINTS)
  for (let k = 0; k < count; k++) setBit(bits, Math.floor(random.next() * POINTS))
  return bits
}

const byHand = (bits: Uint8Array): number[] => Array.from(order, (i) => (hasBit(bits, i) ? 1 : 0))

test('a stroke after the other gives the same marks as all at once, taken away as well as added', () => {
  const shape = cloud()
  expect(order.length).toBeLessThan(POINTS)
  const first = some(1, 5000), more = some(2, 3000, first)
  const fewer = more.map((b, i) => (i % 7 === 0 ? 0 : b))
  expect(Array.from(markOf(first, shape))).toEqual(byHand(first))
  expect(Array.from(markOf(more, shape, first))).toEqual(byHand(more))
  expect(Array.from(markOf(fewer, shape, more))).toEqual(byHand(fewer))
})
test('what was chosen before in another way is not taken for the last answer', () => {
  const shape = cloud()
  const first = some(3, 4000), other = some(4, 4000), next = some(5, 200, other)
  markOf(first, shape)
  expect(Array.from(markOf(next, shape, other))).toEqual(byHand(next))
  // And each shape has its own last answer.
  expect(Array.from(markOf(next, cloud(), first))).toEqual(byHand(next))
})
test('an answer that the page changes, or that is sent away, does no harm', () => {
  const shape = cloud()
  const first = some(6, 1000), second = some(7, 1000, first)
  markOf(first, shape).fill(1)
  const kept = first.slice()
  first.fill(255)
  expect(Array.from(markOf(second, shape, kept))).toEqual(byHand(second))
})
