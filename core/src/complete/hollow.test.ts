import { describe, expect, test } from 'vitest'
import { extruded, type Implicit } from '../bench/implicit'
import { polygonise } from '../bench/polygonise'
import { quietContext } from '../context'
import { cutFacets, type Facets } from '../plan/facets'
import type { TriangleMesh } from '../shapes'
import { findMouths, hollowVariant } from './hollow'

const HEIGHT = 100,
  RADIUS = 40
/** A solid cylinder; with a dip of 30 mm radius and 25 mm depth in its top. */
const solid: Implicit = (x, y, z) => extruded(Math.hypot(x, y) - RADIUS, z - HEIGHT / 2, HEIGHT / 2)
const dipped: Implicit = (x, y, z) => Math.max(solid(x, y, z), -Math.max(Math.hypot(x, y) - 30, HEIGHT - 25 - z))
const made = (field: Implicit): { mesh: TriangleMesh; facets: Facets } => {
  const mesh = polygonise(field, { min: [-41, -41, -1], max: [41, 41, 101] }, 3.1, quietContext())
  return { mesh, facets: cutFacets(mesh, 6000) }
}
const at = (f: Facets, i: number): [number, number, number] => [
  f.centres[i * 3],
  f.centres[i * 3 + 1],
  f.centres[i * 3 + 2],
]

describe('mouths of hollows', () => {
  const cup = made(dipped)
  const floorUnseen = (i: number): boolean =>
    !(
      at(cup.facets, i)[2] < 77 &&
      at(cup.facets, i)[2] > 70 &&
      Math.hypot(at(cup.facets, i)[0], at(cup.facets, i)[1]) < 29
    )
  test('a wall that dives in round what was not seen: where it lies, which way it opens, how thick it is', () => {
    const [mouth, ...more] = findMouths(cup.facets, floorUnseen)
    expect(more).toEqual([])
    expect(mouth.seen).toBe(true)
    expect(mouth.axis[2]).toBeGreaterThan(0.98)
    expect(Math.hypot(mouth.centre[0], mouth.centre[1])).toBeLessThan(6)
    expect(mouth.wallMm).toBeGreaterThan(8)
    expect(mouth.wallMm).toBeLessThan(13)
    expect(mouth.areaMm2 / (Math.PI * 29 ** 2)).toBeCloseTo(1, 0)
  })
  test('the other hypothesis has no seal there, and an inner wall set in by the wall’s thickness down to the bottom', () => {
    const [mouth] = findMouths(cup.facets, floorUnseen)
    const deeper = hollowVariant(cup.mesh, cup.facets, mouth)
    const inner = deeper.positions.subarray(cup.mesh.positions.length)
    // Away from the sharp edge below, where walls set in meet at an angle.
    const places = Array.from(
      { length: inner.length / 3 },
      (_, i) => [Math.hypot(inner[i * 3], inner[i * 3 + 1]), inner[i * 3 + 2]] as const,
    )
    const bottom = places.filter(([r, z]) => r < 20 && z < 30).map(([, z]) => z),
      wall = places.filter(([, z]) => z > 30 && z < 60).map(([r]) => r)
    const near = (values: readonly number[], wanted: number): number =>
      values.filter((v) => Math.abs(v - wanted) < 1).length / values.length
    expect(bottom.length).toBeGreaterThan(50)
    expect(near(bottom, mouth.wallMm)).toBeGreaterThan(0.95)
    expect(near(wall, RADIUS - mouth.wallMm)).toBeGreaterThan(0.95)
    // Nothing is left of the seal's middle.
    let middle = 0
    for (let i = 0; i < deeper.indices.length; i += 3) {
      const m = [0, 1, 2].map(
        (c) => [0, 1, 2].reduce((s, k) => s + deeper.positions[deeper.indices[i + k] * 3 + c], 0) / 3,
      )
      if (Math.hypot(m[0], m[1]) < 20 && m[2] > 70) middle++
    }
    expect(middle).toBe(0)
  })
  test('a flat top that nobody saw may hide a hollow, and is told apart from one whose rim was seen', () => {
    const block = made(solid)
    const [mouth] = findMouths(block.facets, (i) => at(block.facets, i)[2] < HEIGHT - 0.5)
    expect(mouth).toMatchObject({ seen: false })
    expect(mouth.axis[2]).toBeGreaterThan(0.98)
  })
  test('an unseen underside, or a strip of the wall, is no mouth', () => {
    const block = made(solid)
    expect(findMouths(block.facets, (i) => at(block.facets, i)[2] > 0.5)).toEqual([])
    expect(findMouths(block.facets, (i) => at(block.facets, i)[0] < 25)).toEqual([])
  })
  test('when all was seen there is nothing to look for', () => {
    expect(findMouths(cup.facets, () => true)).toEqual([])
  })
})
