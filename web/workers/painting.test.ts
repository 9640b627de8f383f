import { describe, expect, test } from 'vitest'
import { seededRandom } from '@holosoma/core/linear'
import { countBits, emptyBits, hasBit, sameBits, setBit } from '@holosoma/core/select'
import { afterStretch } from '../lib/brushing'
import { markOf } from './marking'
import { paint, type Stretch } from './painting'

/** More points than a preview holds, and a number that fills no whole byte. */
const POINTS = 300_003
const some = (seed: number, count: number): number[] => {
  const random = seededRandom(seed)
  return Array.from({ length: count }, () => Math.floor(random.next() * POINTS))
}
const setOf = (items: readonly number[]): Uint8Array => {
  const bits = emptyBits(POINTS)
  for (const i of items) setBit(bits, i)
  return bits
}

describe('a stretch after the other', () => {
  test('is what all of them are at once: the same set, count and marks, with points taken out again and named twice', () => {
    const shape = {}
    let chosen: ReturnType<typeof afterStretch> | undefined,
      stamp: number | null = null
    const wanted = emptyBits(POINTS)
    for (let round = 0; round < 12; round++) {
      const how = round % 3 === 2 ? 'subtract' : 'add'
      // What was taken in the round before, and some more; each twice.
      const items = [...some(round, 3000), ...some(round - 1, 500)].flatMap((i) => [i, i])
      for (const i of items) if (hasBit(wanted, i) !== (how === 'add')) wanted[i >> 3] ^= 1 << (i & 7)
      const stretch: Stretch = paint(shape, POINTS, items, how, stamp === null ? { bits: null } : { stamp })!
      chosen = afterStretch(POINTS, chosen, stretch)
      ;({ stamp } = stretch)
      expect(sameBits(chosen.bits, wanted)).toBe(true)
      expect(stretch.count).toBe(countBits(wanted))
      expect(sameBits(chosen.mark, markOf(wanted, POINTS))).toBe(true)
    }
  })
  test('tells what it changes and nothing else', () => {
    const shape = {}
    const first = paint(shape, POINTS, [5, 9, 5], 'add', { bits: null })!
    expect([...first.changed]).toEqual([5, 9])
    expect([...paint(shape, POINTS, [9, 11], 'add', first)!.changed]).toEqual([11])
    expect([...paint({}, POINTS, [9, 11], 'subtract', { bits: null })!.changed]).toEqual([])
  })
})

describe('what was chosen before', () => {
  test('may have been chosen in another way; it is not changed by painting on it', () => {
    const shape = {}
    const lasso = setOf(some(3, 4000)),
      kept = lasso.slice()
    const { count, changed } = paint(shape, POINTS, some(4, 100), 'add', { bits: lasso })!
    expect(sameBits(lasso, kept)).toBe(true)
    expect(count).toBe(countBits(kept) + changed.length)
  })
  test('is asked for again where a stamp is old, another shape’s, or forgotten', () => {
    const shape = {},
      other = {}
    const first = paint(shape, POINTS, [1], 'add', { bits: null })!
    const second = paint(shape, POINTS, [2], 'add', first)!
    expect(paint(shape, POINTS, [3], 'add', first)).toBeNull()
    expect(paint(other, POINTS, [3], 'add', second)).toBeNull()
    // The refusals have changed nothing.
    expect(paint(shape, POINTS, [3], 'add', second)!.count).toBe(3)
    // Told anew, it goes on from what it is told.
    expect(paint(shape, POINTS, [3], 'add', { bits: setOf([7]) })!.count).toBe(2)
  })
})
