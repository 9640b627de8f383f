import { describe, expect, test } from 'vitest'
import Module from 'manifold-3d'
import { BRASS_CLEAT, CLEAT_HALF_WIDTH, CLEAT_HOLE, CLEAT_OUTLINE } from '../bench/pieces/cleat'
import { polygonise } from '../bench/polygonise'
import { quietContext } from '../context'
import { makeSkin, type SkinOptions } from '../fuse/skin'
import { identityMotion } from '../linear/rigid'
import { compareShapes } from '../measure/compare'
import { checkHealth, massProperties } from '../mesh/health'
import { sampleSurface } from '../mesh/sample-surface'
import { pickPoints, type PointCloud, type TriangleMesh } from '../shapes'
import { angleBeam, cube, scanOf, spherePoints } from '../testing/solids'

const skin = (cloud: PointCloud, options: SkinOptions) =>
  makeSkin([{ cloud, motion: identityMotion() }], options, quietContext())
const isSound = (mesh: TriangleMesh, genus = 0): void => {
  const h = checkHealth(mesh, quietContext())
  expect([h.closed, h.manifold, h.crossings, h.genus, h.components]).toEqual([true, true, 0, genus, 1])
}
/** How far places lie from a mesh, mm. */
const off = (places: readonly number[], mesh: TriangleMesh): number[] =>
  Array.from(
    compareShapes({ kind: 'cloud', positions: Float32Array.from(places) }, mesh, quietContext()).distanceMm,
    Math.abs,
  )
const quantile = (values: readonly number[], q: number): number =>
  [...values].sort((a, b) => a - b)[Math.min(values.length - 1, Math.floor(values.length * q))]

const EDGE = 24,
  SPACING = 0.8,
  NOISE = 0.04
/** Places on the twelve edges of the cube, clear of its corners. */
const cubeEdges: number[] = []
for (let axis = 0; axis < 3; axis++)
  for (const a of [0, EDGE])
    for (const b of [0, EDGE])
      for (let t = 3; t <= EDGE - 3; t += 0.5) {
        const p = [0, 0, 0]
        p[axis] = t
        p[(axis + 1) % 3] = a
        p[(axis + 2) % 3] = b
        cubeEdges.push(...p)
      }

describe('edges of made things', () => {
  const cloud = scanOf(cube(EDGE), 60_000, NOISE)
  const round = skin(cloud, { spacingMm: SPACING }).mesh
  const kept = skin(cloud, { spacingMm: SPACING, edges: 'careful' })

  test('a cube has its twelve edges and eight corners, and nothing else', () => {
    isSound(kept.mesh)
    expect(kept.edges!.lengthMm).toBeGreaterThan(0.97 * 12 * EDGE)
    expect(kept.edges!.lengthMm).toBeLessThan(1.03 * 12 * EDGE)
    expect(kept.edges!.corners).toBe(8)
    expect(Math.abs(kept.edges!.meanAngle - 90)).toBeLessThan(1.5)
    expect(kept.edges!.inwardMm).toBe(0)
  })
  test('the radius left at its edges is a tenth of a spacing, where the round skin has one of nine tenths', () => {
    // A round of radius r between two planes at 90° lies r·(√2 − 1) inside the edge (geometry).
    const radius = (mesh: TriangleMesh): number => quantile(off(cubeEdges, mesh), 0.9) / (Math.SQRT2 - 1) / SPACING
    expect(radius(round)).toBeGreaterThan(0.7)
    expect(radius(kept.mesh)).toBeLessThan(0.2)
  })
  test('its volume and area are those of a cube, which a rounded one has not', () => {
    const { volumeMm3, areaMm2 } = massProperties(kept.mesh)
    expect(Math.abs(volumeMm3 / EDGE ** 3 - 1)).toBeLessThan(0.001)
    expect(Math.abs(areaMm2 / (6 * EDGE ** 2) - 1)).toBeLessThan(0.002)
    expect(massProperties(round).areaMm2 / (6 * EDGE ** 2)).toBeLessThan(0.99)
  })
  test('flats are no rougher for it', () => {
    const rough = (mesh: TriangleMesh): number => {
      let squares = 0,
        n = 0
      for (let i = 0; i < mesh.positions.length; i += 3) {
        const p = mesh.positions.subarray(i, i + 3)
        if (p[0] < 4 || p[0] > EDGE - 4 || p[1] < 4 || p[1] > EDGE - 4 || p[2] < EDGE / 2) continue
        squares += (p[2] - EDGE) ** 2
        n++
      }
      expect(n).toBeGreaterThan(300)
      return Math.sqrt(squares / n)
    }
    expect(rough(kept.mesh)).toBeLessThan(1.02 * rough(round))
  })
  test('an edge that turns inwards is kept as well as those that turn outwards', () => {
    const beam = skin(scanOf(angleBeam(20, 8, 24), 60_000, NOISE), { spacingMm: SPACING, edges: 'careful' })
    isSound(beam.mesh)
    const { inwardMm, outwardMm } = beam.edges!
    expect(Math.abs(inwardMm - 24)).toBeLessThan(2)
    // Five edges along the beam, two outlines of 20 + 8 + 12 + 12 + 8 + 20 mm.
    expect(Math.abs(outwardMm - (5 * 24 + 2 * 80))).toBeLessThan(12)
    const inner = Array.from({ length: 37 }, (_, i) => [8, 8, 3 + i * 0.5]).flat()
    expect(quantile(off(inner, beam.mesh), 0.9)).toBeLessThan(0.1)
    expect(Math.abs(massProperties(beam.mesh).volumeMm3 / (24 * (20 * 8 + 12 * 8)) - 1)).toBeLessThan(0.002)
  })
  test('a dense skin keeps them, too', () => {
    const dense = skin(cloud, { spacingMm: 1.2, edges: 'careful', dense: true })
    isSound(dense.mesh)
    expect(dense.edges!.lengthMm).toBeGreaterThan(0.8 * 12 * EDGE)
  })
  test('the same edges come out of the same points, byte for byte', () => {
    const again = skin(cloud, { spacingMm: SPACING, edges: 'careful' })
    expect(again.mesh.positions).toEqual(kept.mesh.positions)
    expect(again.mesh.indices).toEqual(kept.mesh.indices)
  })
})

describe('a made thing that comes as a mesh', () => {
  test('the cleat, sampled and skinned at 0.8 mm, lies within 0.25 mm of its truth', async () => {
    // The solid is built by the boolean library from the outline; its holes are polygons of 24 sides (0.02 mm off).
    const library = await Module()
    library.setup()
    const { Manifold, CrossSection } = library
    const outline = Array.from({ length: CLEAT_OUTLINE.length / 2 }, (_, i): [number, number] => [
      CLEAT_OUTLINE[i * 2],
      CLEAT_OUTLINE[i * 2 + 1],
    ])
    let body = new CrossSection([outline]).extrude(2 * CLEAT_HALF_WIDTH, 0, 0, [1, 1], true).rotate([90, 0, 0])
    const { atX, radius, top } = CLEAT_HOLE
    for (const x of [-atX, atX])
      body = body.subtract(Manifold.cylinder(30, radius, radius, 24).translate([x, 0, top - 30]))
    const { vertProperties, numProp, triVerts } = body.getMesh()
    const solid: TriangleMesh = {
      kind: 'mesh',
      positions: Float32Array.from({ length: (vertProperties.length / numProp) * 3 }, (_, i) => {
        return vertProperties[Math.floor(i / 3) * numProp + (i % 3)]
      }),
      indices: Uint32Array.from(triVerts),
    }
    const farthest = (mesh: TriangleMesh): number => {
      let most = 0
      for (let i = 0; i < mesh.positions.length; i += 3) {
        const [x, y, z] = mesh.positions.subarray(i, i + 3)
        most = Math.max(most, Math.abs(BRASS_CLEAT.field(x, y, z)))
      }
      return most
    }
    expect(farthest(solid)).toBeLessThan(1e-5)
    const cloud = sampleSurface(solid, 0.4)
    const half = (keeps: (x: number) => boolean) => ({
      cloud: pickPoints(
        cloud,
        Array.from({ length: cloud.positions.length / 3 }, (_, i) => i).filter((i) => keeps(cloud.positions[i * 3])),
      ),
      motion: identityMotion(),
    })
    const { mesh, edges } = makeSkin(
      [half((x) => x < 8), half((x) => x > -8)],
      { spacingMm: SPACING, edges: 'careful' },
      quietContext(),
    )
    isSound(mesh, 2)
    expect(edges!.lengthMm).toBeGreaterThan(600)
    expect(farthest(mesh)).toBeLessThan(0.25)
  })
})

describe('what has no edge is left alone', () => {
  const unchanged = (cloud: PointCloud, edges: 'careful' | 'strong' = 'careful'): void => {
    const plain = skin(cloud, { spacingMm: SPACING })
    const kept = skin(cloud, { spacingMm: SPACING, edges })
    expect(kept.edges!.lengthMm).toBe(0)
    expect(kept.mesh.positions).toEqual(plain.mesh.positions)
  }
  test('a ball, with and without noise', () => {
    unchanged(spherePoints(12, 30_000))
    unchanged(spherePoints(12, 30_000, NOISE), 'strong')
  })
  test('a block whose edges are rounded by more than a spacing', () => {
    const radius = 1.5 * SPACING,
      half = 9 - radius
    const field = (x: number, y: number, z: number): number => {
      const [a, b, c] = [Math.abs(x) - half, Math.abs(y) - half, Math.abs(z) - half]
      const outside = Math.hypot(Math.max(a, 0), Math.max(b, 0), Math.max(c, 0))
      return outside + Math.min(Math.max(a, b, c), 0) - radius
    }
    const block = polygonise(field, { min: [-10, -10, -10], max: [10, 10, 10] }, 0.3, quietContext())
    unchanged(scanOf(block, 40_000, NOISE))
  })
})
