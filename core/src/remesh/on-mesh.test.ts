import { describe, expect, test } from 'vitest'
import { polygonise } from '../bench/polygonise'
import { quietContext } from '../context'
import { farthestMm } from '../measure/on-surface'
import { checkHealth } from '../mesh/health'
import { EVIDENCE, type TriangleMesh } from '../shapes'
import { angleBeam, cube, torus, withoutFaces } from '../testing/solids'
import { remeshOnItself } from './on-mesh'
import { refineInFour } from './refine'

const context = () => quietContext()
const health = (m: TriangleMesh) => checkHealth(m, context())

describe('four triangles for each', () => {
  test.each<[string, TriangleMesh]>([
    ['a ring', torus(20, 6, 40, 20)],
    ['a cube', cube(3)],
    ['an open ring', withoutFaces(torus(20, 6, 40, 20), [0, 1, 2, 3])],
  ])('%s: as many, and the surface as it was', (_what, mesh) => {
    const before = health(mesh),
      after = health(refineInFour(mesh))
    expect(after.faces).toBe(4 * before.faces)
    expect(after.areaMm2 / before.areaMm2).toBeCloseTo(1, 5)
    expect(after.volumeMm3).toBeCloseTo(before.volumeMm3, 2)
    expect([after.borderEdges, after.genus, after.crossings]).toEqual([2 * before.borderEdges, before.genus, 0])
  })
  test('an edge of four faces has one middle, and stays such an edge', () => {
    const pair: TriangleMesh = {
      kind: 'mesh',
      positions: Float32Array.of(0, 0, 0, 0, 0, 2, 1, 0, 0, -1, 0, 0, 0, 1, 0),
      indices: Uint32Array.of(0, 1, 2, 0, 1, 3, 0, 1, 4),
    }
    const fine = refineInFour(pair)
    expect(fine.positions.length / 3).toBe(5 + 7)
    expect(health(fine).nonManifoldEdges).toBe(2)
  })
  test('a middle is as weak as the weaker end, and coloured between them', () => {
    const mesh: TriangleMesh = {
      kind: 'mesh',
      positions: Float32Array.of(0, 0, 0, 2, 0, 0, 0, 2, 0),
      indices: Uint32Array.of(0, 1, 2),
      evidence: Uint8Array.of(EVIDENCE.measured, EVIDENCE.invented, EVIDENCE.measured),
      colours: Uint8Array.of(0, 0, 0, 100, 0, 0, 0, 0, 50),
    }
    const fine = refineInFour(mesh)
    expect(Array.from(fine.evidence!.slice(3))).toEqual([EVIDENCE.invented, EVIDENCE.invented, EVIDENCE.measured])
    expect(Array.from(fine.colours!.slice(9))).toEqual([50, 0, 0, 50, 0, 25, 0, 0, 25])
  })
})

describe('even triangles on a mesh', () => {
  const bumpy = polygonise(
    (x, y, z) => Math.hypot(Math.hypot(x, y) - 14, z) - 5 + 0.15 * Math.sin(x) * Math.sin(1.1 * y),
    { min: [-21, -21, -7], max: [21, 21, 7] },
    0.9,
    context(),
  )
  test('a contour becomes even: as many as its area has room for, near the surface, hardly a sliver', () => {
    const even = remeshOnItself(bumpy, { edgeMm: 1.2 }, context())
    const before = health(bumpy),
      after = health(even)
    expect(after).toMatchObject({ closed: true, manifold: true, genus: 1, crossings: 0 })
    expect(after.sliverFaces).toBeLessThan(after.faces / 100)
    // Equilateral triangles of this edge: 4 / √3 a square of it.
    expect(after.faces / ((4 / Math.sqrt(3)) * (before.areaMm2 / 1.2 ** 2))).toBeGreaterThan(0.9)
    expect(after.faces / ((4 / Math.sqrt(3)) * (before.areaMm2 / 1.2 ** 2))).toBeLessThan(1.25)
    expect(farthestMm(even, bumpy, 0.3, context())).toBeLessThan(1e-3 + 0.05)
    expect(after.volumeMm3 / before.volumeMm3).toBeCloseTo(1, 2)
  })
  test('sharp edges stay lines, corners stay: a beam with an inward edge keeps its exact volume', () => {
    const beam = refineInFour(refineInFour(angleBeam(20, 8, 24)))
    const before = health(beam)
    for (const edgeMm of [0.8, 3]) {
      const after = health(remeshOnItself(beam, { edgeMm }, context()))
      expect(after).toMatchObject({ closed: true, crossings: 0, genus: 0 })
      expect(after.volumeMm3 / before.volumeMm3).toBeCloseTo(1, 5)
    }
  })
  test('larger where it is flat: fewer, and the round parts as they were', () => {
    const plain = remeshOnItself(bumpy, { edgeMm: 0.6, offMm: 0.03 }, context())
    const grown = remeshOnItself(bumpy, { edgeMm: 0.6, offMm: 0.03, growth: 6 }, context())
    expect(grown.indices.length).toBeLessThan(0.7 * plain.indices.length)
    expect(health(grown)).toMatchObject({ closed: true, crossings: 0 })
    expect(farthestMm(bumpy, grown, 0.1, context())).toBeLessThan(0.15)
  })
  test('borders stay; colours and evidence are those of the place', () => {
    const n = bumpy.positions.length / 3
    const told = {
      ...bumpy,
      evidence: Uint8Array.from({ length: n }, (_, v) =>
        bumpy.positions[v * 3] > 0 ? EVIDENCE.invented : EVIDENCE.measured,
      ),
      colours: Uint8Array.from({ length: n * 3 }, (_, i) => (bumpy.positions[i - (i % 3)] > 0 ? 200 : 40)),
    }
    const open = withoutFaces(told, [0, 1, 2, 3, 4, 5])
    const even = remeshOnItself(open, { edgeMm: 1.2 }, context())
    expect(remeshOnItself({ ...open, originMm: [500, 0, 7] }, { edgeMm: 1.2 }, context()).originMm).toEqual([500, 0, 7])
    expect(health(even).loops.map((l) => l.perimeterMm)).toEqual(
      health(open).loops.map((l) => expect.closeTo(l.perimeterMm, 3)),
    )
    for (let v = 0; v < even.positions.length / 3; v++) {
      const x = even.positions[v * 3]
      if (Math.abs(x) < 1) continue
      expect([even.evidence![v], even.colours![v * 3]]).toEqual(
        x > 0 ? [EVIDENCE.invented, 200] : [EVIDENCE.measured, 40],
      )
    }
  })
  test('edges of no length are refused', () => {
    expect(() => remeshOnItself(bumpy, { edgeMm: 0 }, context())).toThrow('longer than 0 mm')
  })
})
