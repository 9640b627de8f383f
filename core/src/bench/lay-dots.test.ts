import { describe, expect, test } from 'vitest'
import { NO_DOTS } from '../plan/dots'
import { NEW_TAKE } from '../plan/takes'
import { dotTable, dotTone } from './dots'
import { layDots } from './lay-dots'
import { NET_BOBBIN, STOVE_TILE } from './pieces'

describe('dots on the bench', () => {
  test('on the piece they lie on its true surface, facing out of it', () => {
    const dots = layDots(STOVE_TILE, NEW_TAKE, { ...NO_DOTS, where: 'piece', distanceMm: 20 })
    expect(dots.length).toBeGreaterThan(10)
    for (const { space, at, normal } of dots) {
      expect(space).toBe('piece')
      expect(Math.abs(STOVE_TILE.field(at[0], at[1], at[2]))).toBeLessThan(0.3)
      expect(STOVE_TILE.field(at[0] + normal[0], at[1] + normal[1], at[2] + normal[2])).toBeGreaterThan(0.3)
    }
  })
  test('on a mat they lie flat on the table, clear of the piece; on stands they stand over it; none is none', () => {
    const mat = layDots(NET_BOBBIN, NEW_TAKE, { ...NO_DOTS, where: 'mat' })
    expect(mat.length).toBeGreaterThan(10)
    for (const { space, at, normal } of mat)
      expect([space, at[2], normal[2], Math.hypot(at[0], at[1]) > 20]).toEqual(['table', 0, 1, true])
    expect(layDots(NET_BOBBIN, NEW_TAKE, { ...NO_DOTS, where: 'stands' }).every((d) => d.at[2] > 0)).toBe(true)
    expect(layDots(NET_BOBBIN, NEW_TAKE, NO_DOTS)).toEqual([])
  })
  test('a dot is a white disc with a black ring, of its own space only', () => {
    const table = dotTable([{ space: 'piece', at: [10, 0, 0], normal: [0, 0, 1], radiusMm: 2 }], 'piece')
    expect(dotTone(table, 11, 0, 0)).toBe(1)
    expect(dotTone(table, 13, 0, 0)).toBe(2)
    expect(dotTone(table, 13.3, 0, 0)).toBe(0)
    expect(dotTable([{ space: 'piece', at: [10, 0, 0], normal: [0, 0, 1], radiusMm: 2 }], 'table').length).toBe(0)
  })
})
