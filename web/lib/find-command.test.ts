import { describe, expect, test } from 'vitest'
import { STATIONS } from './station-names'
import { fit } from './find-command'
import { VIEWS } from '@/stations/views'

describe('commands are found by words', () => {
  test('every word must be there; names before terms, beginnings before middles', () => {
    expect(fit('Close holes', 'clo ho')).toBe(0.9)
    expect(fit('Close holes', 'close')).toBe(1)
    expect(fit('Close holes', 'fill', ['fill', 'gap'])).toBe(0.8)
    expect(fit('Close holes', 'oles')).toBe(0.6)
    expect(fit('Close holes', 'ill', ['fill'])).toBe(0.4)
    expect(fit('Close holes', 'fill teeth', ['fill'])).toBe(0)
    // Letters scattered over a name are no word of it.
    expect(fit('Check the skin’s health', 'align')).toBe(0)
  })
  // Terms of the field, common practice.
  test.each([
    ['merge', 'join'],
    ['align', 'join'],
    ['register', 'join'],
    ['mesh', 'skin'],
    ['decimate', 'mend'],
    ['hole', 'mend'],
    ['watertight', 'skin'],
    ['texture', 'plan'],
    ['deviation', 'join'],
    ['export', 'release'],
    ['scale', 'size'],
    ['outliers', 'tidy'],
  ] as const)('“%s” leads to %s, among others', (word, station) => {
    const found = STATIONS.filter((s) =>
      (VIEWS[s].commands ?? []).some((c) => fit(c.name, word, c.terms.split(' ')) > 0.5),
    )
    expect(found).toContain(station)
  })
})
