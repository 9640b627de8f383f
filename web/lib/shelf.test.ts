import { describe, expect, test } from 'vitest'
import { chosenOf, verdictOf, WHOLE_SHELF, type ShelfChoice, type ShelfPiece } from './shelf'
import { SKETCH_REACH, sketchOf } from './stand-in-sketch'

const piece = (id: number, over: Partial<ShelfPiece> = {}): ShelfPiece => ({
  id,
  name: `Piece ${id}`,
  number: '',
  sample: false,
  thumb: null,
  isMesh: false,
  standIn: null,
  stops: [],
  text: '',
  move: '',
  station: 'take',
  facts: '',
  changedAt: `2026-01-0${id}`,
  ...over,
})
const ids = (pieces: readonly ShelfPiece[], choice: Partial<ShelfChoice>): number[] =>
  chosenOf(pieces, { ...WHOLE_SHELF, ...choice }).map((p) => p.id)

describe('the shelf', () => {
  const pieces = [
    piece(1, { name: 'Öllampe', number: 'HQ-10', stops: [{ station: 'join', verdict: 'unsound' }], station: 'join' }),
    piece(2, { name: 'cleat', number: 'HQ-9', stops: [{ station: 'take', verdict: 'sound' }] }),
    piece(3, { name: 'Bottle', number: 'HQ-2', station: 'brief' }),
  ]
  test('what changed last stands first; by name and number as a reader counts; by what is worst, by where it waits', () => {
    expect(ids(pieces, {})).toEqual([3, 2, 1])
    expect(ids(pieces, { order: 'name' })).toEqual([3, 2, 1])
    expect(ids(pieces, { order: 'number' })).toEqual([3, 2, 1])
    expect(ids(pieces, { order: 'verdict' })).toEqual([1, 3, 2])
    expect(ids(pieces, { order: 'station' })).toEqual([3, 2, 1])
  })
  test('found by parts of name and number, without accents, all words at once', () => {
    expect(ids(pieces, { words: 'OLL' })).toEqual([1])
    expect(ids(pieces, { words: 'hq bot' })).toEqual([3])
    expect(ids(pieces, { words: 'nothing' })).toEqual([])
  })
  test('only those that wait somewhere, only those of a verdict; what nobody looked at has none', () => {
    expect(ids(pieces, { station: 'join' })).toEqual([1])
    expect(ids(pieces, { verdict: 'sound' })).toEqual([2])
    expect(pieces.map(verdictOf)).toEqual(['unsound', 'sound', null])
  })
})

test.each(['box', 'cylinder', 'ellipsoid'] as const)(
  'a %s is drawn as large as the piece, with normals outward',
  (form) => {
    const { positions, normals } = sketchOf({ form, size: [100, 50, 25] })
    const reach = [0, 1, 2].map((c) => positions.reduce((m, v, i) => (i % 3 === c ? Math.max(m, Math.abs(v)) : m), 0))
    expect(reach.map((r) => r / SKETCH_REACH)).toEqual([1, 0.5, 0.25].map((v) => expect.closeTo(v, 1) as number))
    let outward = 0
    for (let i = 0; i < positions.length; i += 3)
      if (positions[i] * normals[i] + positions[i + 1] * normals[i + 1] + positions[i + 2] * normals[i + 2] > 0)
        outward++
    expect(outward).toBe(positions.length / 3)
  },
)
