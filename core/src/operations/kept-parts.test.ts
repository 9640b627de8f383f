import { expect, test } from 'vitest'
import { checkParts, MAX_KEPT_PARTS } from './kept-parts'

const part = (name: string, over: object = {}): object => ({
  name,
  region: { kind: 'seeds', seeds: [[0, 0, 0]], reachMm: 3 },
  scale: 1,
  ...over,
})

test('parts of every kind are kept as they were, their names trimmed', () => {
  const regions = [
    { kind: 'evidence', of: 'invented' },
    { kind: 'near', places: [1, 2, 3, 4, 5, 6], reachMm: 0.5 },
    { kind: 'patch', seeds: [[1, 2, 3]], angleDeg: 20, grownMm: -1 },
  ]
  const { parts } = checkParts({ parts: regions.map((region, i) => part(` no ${i} `, { region })) })
  expect(parts.map((p) => p.name)).toEqual(['no 0', 'no 1', 'no 2'])
  expect(parts.map((p) => p.region)).toEqual(regions)
})
test.each([
  ['two of one name', [part('rim'), part('rim')], 'two parts have one name'],
  ['a name of nothing', [part('  ')], 'name'],
  ['no size', [part('rim', { scale: 0 })], 'scale'],
  ['a region nobody knows', [part('rim', { region: { kind: 'all' } })], 'The parts cannot be kept'],
  ['half a place', [part('rim', { region: { kind: 'near', places: [1, 2], reachMm: 1 } })], 'The parts cannot be kept'],
  ['too many', Array.from({ length: MAX_KEPT_PARTS + 1 }, (_, i) => part(`p${i}`)), 'parts'],
])('refused in a sentence: %s', (_, parts, why) => {
  expect(() => checkParts({ parts })).toThrow(why)
})
