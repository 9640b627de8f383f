import { describe, expect, test } from 'vitest'
import { nightTest } from '../testing/night'
import { BANDED_JUG, OIL_LAMP, STOVE_TILE } from '../bench/pieces'
import type { DemoPiece } from '../bench/pieces'
import { polygonise } from '../bench/polygonise'
import type { Area } from '../brief/brief'
import { quietContext } from '../context'
import { seededRandom } from '../linear/random'
import { compose, rotationMotion, transformPoints, type Motion } from '../linear/rigid'
import { coarseMesh } from '../mesh/preview'
import { simplifyMesh } from '../simplify/simplify'
import type { TriangleMesh } from '../shapes'
import { areasOnMesh, areaSizes, carriedFrom, checkCarried, ownAreas, type CarriedAreas } from './carry-areas'
import { cutFacets } from './facets'
import { Planner } from './planner'
import { placeStandIn } from './place-stand-in'
import { buildStandIn } from './stand-in'

const AREAS: readonly Area[] = [
  { name: 'below', rank: 'leave', place: 'underside' },
  { name: 'well', rank: 'nice', place: 'inside' },
  { name: 'foot', rank: 'cut', place: 'band', fromMm: 0, toMm: 6 },
]
const withSpot = (strokes: Area['strokes']): Area[] => [
  ...AREAS,
  { name: 'spout', rank: 'must', place: 'painted', strokes },
]
const meshOf = (piece: DemoPiece, spacingMm: number): TriangleMesh =>
  polygonise(piece.field, piece.bounds, spacingMm, quietContext())
const SAME = [1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0]
/** The point farthest to the right. */
function farthest({ positions: p }: TriangleMesh): [number, number, number] {
  let best = 0
  for (let i = 0; i < p.length; i += 3) if (p[i] > p[best]) best = i
  return [p[best], p[best + 1], p[best + 2]]
}
const moved = (mesh: TriangleMesh, motion: Motion): TriangleMesh => ({
  ...mesh,
  positions: transformPoints(motion, mesh.positions),
})
const asIs = (rows: readonly number[]): CarriedAreas => ({
  scale: 1,
  rows,
  offMm: 0,
  off: 0,
  alsoAtDeg: [],
  anyAngle: false,
  strokes: [],
})
/** What lies where on a mesh that stands as its stand-in did, by the stand-in and by the mesh itself. */
async function areasOf(
  mesh: TriangleMesh,
  standIn: TriangleMesh,
  carried: CarriedAreas,
  areas: readonly Area[],
  grown = 1,
): Promise<Int16Array> {
  const forms = [
    new Planner(standIn).paintedAreas({ areas }),
    ownAreas(await coarseMesh(mesh, 12_000), carried, areas, grown),
  ]
  return areasOnMesh(
    mesh,
    carried,
    forms,
    areas.map((a) => a.name),
    grown,
  )
}
/** Share of the surface on which two labellings agree. */
function agreement(mesh: TriangleMesh, a: Int16Array, b: Int16Array): number {
  const differs = a.map((v, i) => (v === b[i] ? 0 : 1))
  const [same, other] = areaSizes(mesh, differs, 2)
  return same / (same + other)
}

describe('the areas of the brief are carried from the stand-in onto the joined piece', () => {
  const lies = compose(rotationMotion([0, 0, 1], 2.1, [31, -12, 4]), rotationMotion([1, 0, 0], 0.05))
  nightTest(
    'a rough scan of the lamp as stand-in: 95 % of its surface and more has the area it has in truth',
    async () => {
      const truth = meshOf(OIL_LAMP, 1.2)
      const { mesh: rough } = simplifyMesh(meshOf(OIL_LAMP, 2.2), { faces: 3000 }, quietContext())
      const random = seededRandom(5)
      const skin = moved(truth, lies)
      const noisy = { ...skin, positions: skin.positions.map((v) => v + 0.05 * random.gaussian()) }
      const standIn = buildStandIn({ kind: 'mesh', hash: '0'.repeat(64), name: 'scan' }, [118, 66, 39], rough)
      const found = placeStandIn(standIn, noisy)
      expect(found).toMatchObject({ alsoAtDeg: [], anyAngle: false })
      expect(found.off).toBeLessThan(0.01)
      // The tip of the spout, painted on the stand-in; it lies about where the true one does, less where that was laid.
      const tip = farthest(standIn)
      const areas = withSpot([[...tip, 14]])
      const stands = farthest(truth).map((v, c) => tip[c] - v) as [number, number, number]
      const model = moved(
        truth,
        Float64Array.from([1, 0, 0, stands[0], 0, 1, 0, stands[1], 0, 0, 1, stands[2], 0, 0, 0, 1]),
      )
      const should = await areasOf(model, model, asIs(SAME), areas)
      const carried = await areasOf(noisy, standIn, carriedFrom(found), areas)
      expect(new Set(should)).toEqual(new Set([-1, 0, 1, 2, 3]))
      expect(agreement(skin, carried, should)).toBeGreaterThan(0.95)
      // The same skin made larger by two per cent has the same areas.
      const grown = { ...skin, positions: skin.positions.map((v) => v * 1.02) }
      expect(agreement(grown, await areasOf(grown, standIn, carriedFrom(found), areas, 1.02), should)).toBeGreaterThan(
        0.95,
      )
    },
  )
  nightTest('a piece read in metres: the stand-in is made as large', async () => {
    const truth = meshOf(OIL_LAMP, 1.6)
    const skin = moved(truth, lies)
    const tiny = { ...skin, positions: skin.positions.map((v) => v / 1000) }
    const found = placeStandIn(truth, tiny)
    expect(found.place.scale).toBeCloseTo(0.001, 5)
    const should = await areasOf(truth, truth, asIs(SAME), AREAS)
    expect(agreement(skin, await areasOf(tiny, truth, carriedFrom(found), AREAS), should)).toBeGreaterThan(0.95)
  })
  test('sides, heights and hollows are read off the piece itself, however unlike it the stand-in is', async () => {
    const truth = meshOf(OIL_LAMP, 1.6)
    const egg = buildStandIn({ kind: 'ellipsoid' }, [118, 66, 39])
    const skin = moved(truth, rotationMotion([0, 0, 1], 0.7, [5, 9, 20]))
    const found = placeStandIn(egg, skin)
    expect(found.alsoAtDeg).not.toEqual([])
    const should = await areasOf(truth, truth, asIs(SAME), AREAS)
    expect(agreement(skin, await areasOf(skin, egg, carriedFrom(found), AREAS), should)).toBeGreaterThan(0.95)
  })
  test('of a turned piece nobody can say how it stood; of a plain tile it is told that it lies as well turned', () => {
    const jug = buildStandIn(
      { kind: 'lathe', profile: [[35, 0], [56, 62], [32, 128], [35, 165]] }, // prettier-ignore
      [112, 112, 165],
    )
    expect(placeStandIn(jug, moved(jug, rotationMotion([0, 0, 1], 0.3)))).toMatchObject({ anyAngle: true })
    const tile = buildStandIn({ kind: 'box' }, [120, 80, 30])
    const found = placeStandIn(tile, tile)
    expect(found).toMatchObject({ alsoAtDeg: [180], anyAngle: false })
    // The real tile has a pattern that its stand-in has not.
    expect(placeStandIn(tile, meshOf(STOVE_TILE, 2)).alsoAtDeg.length).toBeGreaterThan(0)
    const handled = meshOf(BANDED_JUG, 3)
    expect(placeStandIn(handled, moved(handled, lies)).anyAngle).toBe(false)
  })
})

describe('what is painted by hand', () => {
  const box = buildStandIn({ kind: 'box' }, [40, 40, 2])
  const fine = cutFacets(box, 4000)
  const mesh: TriangleMesh = {
    kind: 'mesh',
    positions: fine.corners,
    indices: Uint32Array.from({ length: fine.count * 3 }, (_, i) => i),
    normals: Float32Array.from({ length: fine.count * 9 }, (_, i) => fine.normals[((i / 9) | 0) * 3 + (i % 3)]),
  }
  const none = asIs(SAME)
  const stroke = { at: [0, 0, 2], normal: [0, 0, 1], radiusMm: 6 } as const
  const names = AREAS.map((a) => a.name)
  const form = ownAreas(box, none, AREAS)
  const painted = (strokes: CarriedAreas['strokes'], grown = 1): number[] => {
    const larger = { ...mesh, positions: mesh.positions.map((v) => v * grown) }
    return areaSizes(larger, areasOnMesh(larger, { ...none, strokes }, [form], names, grown), names.length)
  }
  test('a touch paints its circle, on the side it touches alone, and goes with the piece when that is made larger', () => {
    const before = painted([])
    const after = painted([{ ...stroke, area: 'well' }])
    expect(Math.abs(after[1] - before[1] - Math.PI * 36)).toBeLessThan(12)
    // Through two millimetres the underside stays what it is.
    expect(after[0]).toBe(before[0])
    expect(painted([{ ...stroke, area: 'well' }], 2)[1] / after[1]).toBeCloseTo(4, 3)
  })
  test('the last touch counts; nothing is an answer, too; a name the brief no longer has paints nothing', () => {
    expect(
      painted([
        { ...stroke, area: 'well' },
        { ...stroke, area: null },
      ])[1],
    ).toBe(0)
    expect(painted([{ ...stroke, area: 'gone' }])).toEqual(painted([]))
  })
  test('what makes no sense is not kept', () => {
    expect(checkCarried(none)).toEqual(none)
    for (const wrong of [
      {},
      { ...none, rows: [1] },
      { ...none, scale: 0 },
      { ...none, strokes: [{ ...stroke, area: 3 }] },
    ])
      expect(() => checkCarried(wrong)).toThrow('The areas cannot be kept')
  })
})
