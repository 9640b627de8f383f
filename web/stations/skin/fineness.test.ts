import { describe, expect, test } from 'vitest'
import { askedFor, triangleRule, type Typed } from './fineness'

const typed = (change: Partial<Typed>): Typed => ({ kind: 'even', spacing: '0.8', count: '50000', ...change })
const ground = { areaMm2: 16_000 }

describe('how fine a skin is asked for', () => {
  test.each([
    ['even', { dense: false, largeWhereFlat: false }, /2.3 triangles/],
    ['flat', { dense: false, largeWhereFlat: true }, /at most/],
    ['dense', { dense: true, largeWhereFlat: false }, /9 triangles/],
  ] as const)('%s: by its spacing, comma or point', (kind, asked, rule) => {
    for (const spacing of ['0.8', ' 0,8 '])
      expect(askedFor(typed({ kind, spacing }), null)).toEqual({ ...asked, triangles: null, spacingMm: 0.8 })
    expect(triangleRule(typed({ kind }), askedFor(typed({ kind }), ground)!)).toMatch(rule)
  })
  test('by number: the spacing follows from what the skin will cover, √(2.36 A/N)', () => {
    const asked = askedFor(typed({ kind: 'count' }), ground)!
    expect(asked.triangles).toBe(50_000)
    expect(asked.spacingMm).toBeCloseTo(Math.sqrt((2.36 * 16_000) / 50_000), 9)
    expect(triangleRule(typed({ kind: 'count' }), asked)).toBe('edges of about 0.87 mm')
  })
  test.each([
    [{ spacing: 'abc' }],
    [{ spacing: '0' }],
    [{ kind: 'count', count: '12.5' }],
    [{ kind: 'count', count: '-3' }],
    [{ kind: 'count', count: '' }],
  ] as const)('%j says nothing', (change) => expect(askedFor(typed(change), ground)).toBeNull())
  test('a number says nothing while it is not known what there is to cover', () => {
    expect(askedFor(typed({ kind: 'count' }), null)).toBeNull()
    expect(askedFor(typed({ kind: 'count' }), { areaMm2: 0 })).toBeNull()
  })
})
