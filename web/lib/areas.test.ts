import { describe, expect, test } from 'vitest'
import type { PieceState } from '@holosoma/engine'
import { areaColour, frameOf, tintOf } from './areas'
import { grownOf } from './results'
import { emptyResult, emptyState, emptyStep } from './empty-state'

const taken = (id: number, name: string): PieceState['takes'][number] =>
  ({ id, name }) as unknown as PieceState['takes'][number]
const skin = (names: string[], fixed: string, calledThen: Record<number, string>): PieceState => {
  const match = emptyStep('join.match', { track: 'join', figures: { fixed } })
  return emptyState('Lamp', {
    takes: [taken(4, 'upright'), taken(7, 'side')],
    mesh: emptyResult([emptyStep('skin.make', { params: { names } })]),
    join: { step: match, calledThen } as unknown as PieceState['join'],
  })
}

describe('what the coordinates of a skin are those of', () => {
  test('the fixed take, whatever it is called now; another fixed take is another place', () => {
    const first = frameOf(skin(['upright', 'side'], 'upright', { 4: 'upright', 7: 'side' }))
    expect(first).toBe('take 4')
    // Called otherwise since: the match still knows it by the name it had.
    expect(frameOf(skin(['first', 'side'], 'first', { 4: 'first', 7: 'side' }))).toBe(first)
    expect(frameOf(skin(['upright', 'side'], 'side', { 4: 'upright', 7: 'side' }))).toBe('take 7')
  })
  test('a mesh that was taken as it is', () => {
    const adopted = (hash: string) =>
      frameOf(emptyState('Lamp', { mesh: emptyResult([emptyStep('skin.adopt', { inputs: { mesh: hash } })]) }))
    expect(adopted('a')).not.toBe(adopted('b'))
  })
})

test('a skin grows with each scaling, and with nothing else', () => {
  const mesh = emptyResult([
    emptyStep('skin.make'),
    emptyStep('size.scale', { figures: { factor: 1.5 } }),
    emptyStep('mend.health', { figures: { factor: 9 } }),
    emptyStep('size.scale', { figures: { factor: 2 } }),
  ])
  expect(grownOf(mesh)).toBe(3)
})

test('each area has a colour of its own, and what lies in none is clay', () => {
  const tint = tintOf(Int16Array.of(-1, 0, 1, 5), 2)
  const at = (i: number): string => `#${[...tint.subarray(i * 3, i * 3 + 3)].map((v) => v.toString(16)).join('')}`
  expect([at(1), at(2)].map((c) => c.toUpperCase())).toEqual([areaColour(0), areaColour(1)].map((c) => c.toUpperCase()))
  expect(at(0)).toBe('#c08a68')
  // An area the brief no longer has.
  expect(at(3)).toBe(at(0))
})
