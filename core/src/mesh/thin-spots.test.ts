import { describe, expect, test } from 'vitest'
import { quietContext } from '../context'
import { ballMesh, inFour } from '../testing/altered'
import { cube, torus } from '../testing/solids'
import type { TriangleMesh } from '../shapes'
import { thinSpots, usualThinMm } from './thin-spots'

const plate = (thick: number): TriangleMesh => {
  const solid = inFour(cube(20), 4)
  return { ...solid, positions: solid.positions.map((v, i) => (i % 3 === 2 ? (v * thick) / 20 : v)) }
}
const look = (mesh: TriangleMesh, limit: number) => thinSpots(mesh, limit, quietContext())

describe('thin spots', () => {
  test('a plate of 0.8 mm is one thin spot as large as it is, and told as thick as it is; at 0.7 it is none', () => {
    const { spots, thinnestMm } = look(plate(0.8), 1)
    expect(spots).toHaveLength(1)
    expect(spots[0].kind).toBe('thin')
    expect(spots[0].sizeMm).toBeCloseTo(Math.hypot(20, 20, 0.8), 3)
    expect(thinnestMm).toBeCloseTo(0.8, 4)
    expect(look(plate(0.8), 0.7)).toEqual({ spots: [], thinnestMm: Infinity })
  })
  test('edges of a thick body, balls and rings are not thin', () => {
    for (const solid of [plate(20), ballMesh(5, 4), torus(20, 6, 80, 40)])
      expect(look(solid, 2)).toEqual({ spots: [], thinnestMm: Infinity })
    expect(look(torus(20, 0.4, 200, 16), 1).spots).toHaveLength(1)
  })
  test('what counts as thin where nobody says is a millimetre, or a fiftieth of a small piece', () => {
    expect(usualThinMm(cube(200))).toBe(1)
    expect(usualThinMm(cube(10))).toBeCloseTo(0.02 * Math.sqrt(300), 6)
  })
})
