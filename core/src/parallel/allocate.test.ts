import { expect, test } from 'vitest'
import { allocate, inShared, isInShared } from './allocate'

test('a value with all its arrays in shared memory is the same value, wherever they stand', () => {
  const own = Float32Array.of(1, 2, 3)
  const shared = inShared({ takes: [{ own, name: 'upright', none: undefined }], limits: Float64Array.of(4), n: 2 })
  expect(shared).toEqual({
    takes: [{ own: Float32Array.of(1, 2, 3), name: 'upright' }],
    limits: Float64Array.of(4),
    n: 2,
  })
  expect(isInShared(shared.takes[0].own) && isInShared(shared.limits)).toBe(true)
  // A copy: who writes into it does not write into what it came from.
  shared.takes[0].own[0] = 9
  expect(own[0]).toBe(1)
})
test('what is shared already is the same memory', () => {
  const room = allocate(Int32Array, 4, true)
  expect(inShared([room])[0]).toBe(room)
  expect(isInShared(allocate(Int32Array, 4, false))).toBe(false)
})
test('an object with ways of its own is refused: it would lose them on the way', () => {
  class Tree {}
  expect(() => inShared({ tree: new Tree() })).toThrow('Tree cannot be handed to a thread')
})
