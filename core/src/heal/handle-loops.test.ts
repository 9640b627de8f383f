import { describe, expect, test } from 'vitest'
import { polygonise } from '../bench/polygonise'
import { quietContext } from '../context'
import { checkHealth } from '../mesh/health'
import { icosahedron, torus } from '../testing/solids'
import { handleLoops } from './handle-loops'

const context = () => quietContext()

describe('loops of handles', () => {
  test('a ball has none', () => expect(handleLoops(icosahedron(), 0, context())).toEqual([]))
  test('of a ring the short way round: about 2π r, r of its tube', () => {
    const [loop, other, ...rest] = handleLoops(torus(20, 3, 120, 24), 1, context())
    expect(rest).toEqual([])
    // The other one runs through the hole: 2π (R − r) at least.
    expect(other.lengthMm / (2 * Math.PI * 17)).toBeGreaterThan(0.98)
    expect(other.lengthMm / (2 * Math.PI * 17)).toBeLessThan(1.15)
    expect(loop.lengthMm / (2 * Math.PI * 3)).toBeGreaterThan(0.98)
    expect(loop.lengthMm / (2 * Math.PI * 3)).toBeLessThan(1.1)
  })
  test('of a fat ring the way through its hole: about 2π (R − r)', () => {
    const [loop] = handleLoops(torus(10, 8, 120, 80), 1, context())
    expect(loop.lengthMm / (2 * Math.PI * 2)).toBeGreaterThan(0.98)
    expect(loop.lengthMm / (2 * Math.PI * 2)).toBeLessThan(1.25)
  })
  test('of three holes six loops, one round the wall of each among them', () => {
    const at = [-14, 0, 14]
    const plate = polygonise(
      (x, y, z) => {
        const slab = Math.max(Math.abs(x) - 22, Math.abs(y) - 9, Math.abs(z) - 3)
        return Math.max(slab, ...at.map((c, i) => 1.5 + i - Math.hypot(x - c, y)))
      },
      { min: [-24, -11, -5], max: [24, 11, 5] },
      0.8,
      context(),
    )
    expect(checkHealth(plate, context()).genus).toBe(3)
    const loops = handleLoops(plate, 3, context())
    expect(loops).toHaveLength(6)
    // One loop round each hole's wall is among them; a way along its rough rim is a fifth longer at most.
    at.forEach((c, i) => {
      const round = loops.filter(({ points, lengthMm }) => {
        const middle = points.reduce((s, v) => s + plate.positions[v * 3], 0) / points.length
        return Math.abs(middle - c) < 1 && lengthMm < 1.25 * 2 * Math.PI * (1.5 + i)
      })
      expect(round, `hole ${i}`).not.toHaveLength(0)
    })
  })
})
