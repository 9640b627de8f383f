import { describe, expect, test } from 'vitest'
import { actOfKey, keyProblem, soundSettings, USUAL_KEYS } from './settings'

describe('keys that are chosen', () => {
  test('one that is taken, or always does the same, is refused with the reason', () => {
    expect(keyProblem(USUAL_KEYS, 'fit', 'g')).toBeNull()
    expect(keyProblem(USUAL_KEYS, 'fit', 'f')).toBeNull()
    expect(keyProblem(USUAL_KEYS, 'fit', 'X')).toBe('“X” is taken: Look from the right; with Shift from the left.')
    for (const key of ['Escape', 'Enter', '3', 'ArrowUp', '+', ' '])
      expect(keyProblem(USUAL_KEYS, 'fit', key)).toContain('always does the same')
  })
  test('a letter is the same with Shift; signs are what they are', () => {
    expect(actOfKey(USUAL_KEYS, 'x')).toBe('right')
    expect(actOfKey(USUAL_KEYS, 'X')).toBe('right')
    expect(actOfKey(USUAL_KEYS, '[')).toBe('before')
    expect(actOfKey({ ...USUAL_KEYS, fit: 'g' }, 'f')).toBeNull()
  })
})

test('what was kept and makes no sense is left out, the rest is taken up', () => {
  expect(soundSettings(null)).toEqual({})
  expect(soundSettings({ hand: 'foot', night: 'yes', keys: { fit: 'x', back: 'b', top: 7, sheet: 'Escape' } })).toEqual(
    {
      keys: { ...USUAL_KEYS, back: 'b' },
    },
  )
  expect(soundSettings({ hand: 'left', night: true, keys: 3 })).toEqual({ hand: 'left', night: true, keys: USUAL_KEYS })
})
