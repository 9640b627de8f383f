import { describe, expect, test } from 'vitest'
import { quietContext } from '../context'
import { seededRandom } from '../linear/random'
import type { TriangleMesh } from '../shapes'
import {
  cube,
  dodecahedron,
  exploded,
  icosahedron,
  octahedron,
  tetrahedron,
  torus,
  withoutFaces,
} from '../testing/solids'
import { merged, shifted } from '../testing/altered'
import { meshComponents, keepParts } from './components'
import { findCrossings } from './crossings'
import { checkHealth, massProperties } from './health'
import { cloudOfMesh, vertexNormals } from './normals'
import { boundaryLoops, edgeTopology } from './topology'
import { weldVertices } from './weld'

const context = () => quietContext()
const health = (m: TriangleMesh) => checkHealth(m, context())

const phi = (1 + Math.sqrt(5)) / 2
/**
 * Closed forms for edge a: Coxeter, Regular Polytopes (1948), Table I (from memory; also in any table of solids).
 * Vertices, edges and faces as Euler counts them.
 */
const SOLIDS: [string, TriangleMesh, number, number, number, number][] = [
  ['tetrahedron', tetrahedron(), Math.sqrt(8), Math.sqrt(3) * 8, 8 ** 1.5 / (6 * Math.sqrt(2)), 4],
  ['cube', cube(3), 3, 54, 27, 8],
  ['octahedron', octahedron(), Math.SQRT2, 2 * Math.sqrt(3) * 2, (Math.SQRT2 / 3) * 2 ** 1.5, 6],
  [
    'dodecahedron',
    dodecahedron(),
    2 / phi,
    3 * Math.sqrt(25 + 10 * Math.sqrt(5)) * (2 / phi) ** 2,
    ((15 + 7 * Math.sqrt(5)) / 4) * (2 / phi) ** 3,
    20,
  ],
  ['icosahedron', icosahedron(), 2, 5 * Math.sqrt(3) * 4, ((5 * (3 + Math.sqrt(5))) / 12) * 8, 12],
]

describe('the five regular solids', () => {
  test.each(SOLIDS)(
    '%s: area, volume, closed, genus 0 (V − E + F = 2)',
    (_name, mesh, _edge, area, volume, vertices) => {
      const h = health(exploded(mesh))
      expect(h.areaMm2 / area).toBeCloseTo(1, 5)
      expect(h.volumeMm3 / volume).toBeCloseTo(1, 5)
      expect(h).toMatchObject({
        closed: true,
        manifold: true,
        genus: 0,
        components: 1,
        crossings: 0,
        zeroAreaFaces: 0,
        vertices,
        borderEdges: 0,
        flippedEdges: 0,
      })
    },
  )
  test('turned inside out the volume changes its sign', () => {
    const turned = { ...icosahedron(), indices: icosahedron().indices.toReversed() }
    expect(massProperties(turned).volumeMm3).toBeCloseTo(-massProperties(icosahedron()).volumeMm3, 4)
  })
  test('volume keeps its digits far from zero', () => {
    expect(massProperties(shifted(cube(2), 4000, -4000, 4000)).volumeMm3).toBeCloseTo(8, 6)
  })
})

test('torus: genus 1, area 4π²Rr and volume 2π²Rr² in the limit (Pappus)', () => {
  const h = health(torus(20, 6, 300, 120))
  expect(h).toMatchObject({ closed: true, manifold: true, genus: 1, crossings: 0 })
  expect(h.areaMm2 / (4 * Math.PI ** 2 * 120)).toBeCloseTo(1, 3)
  // Flat faces lie inside the curve: a part in two thousand at this fineness.
  expect(Math.abs(h.volumeMm3 / (2 * Math.PI ** 2 * 20 * 36) - 1)).toBeLessThan(1e-3)
})

describe('health finds what is planted', () => {
  test('two parts', () =>
    expect(health(merged(cube(), shifted(cube(), 3, 0, 0)))).toMatchObject({ components: 2, closed: true, genus: 0 }))
  test('a missing face: one loop with its perimeter', () => {
    const h = health(withoutFaces(cube(2), [0, 1]))
    expect(h).toMatchObject({ closed: false, borderEdges: 4, genus: null })
    expect(h.loops.map((l) => l.perimeterMm)).toEqual([8])
  })
  test('a flipped face', () => {
    const m = cube()
    const indices = m.indices.slice()
    indices.set([m.indices[1], m.indices[0], m.indices[2]])
    expect(health({ ...m, indices })).toMatchObject({ flippedEdges: 3, closed: false, manifold: false })
  })
  test('an edge with three faces', () =>
    expect(
      health({ ...cube(), indices: Uint32Array.from([...cube().indices, 0, 1, 7]) }).nonManifoldEdges,
    ).toBeGreaterThan(0))
  test('two solids that touch in one corner', () => {
    const h = health(merged(cube(), shifted(cube(), 1, 1, 1)))
    expect(h).toMatchObject({ nonManifoldVertices: 1, nonManifoldEdges: 0, manifold: false })
  })
  test('a face without area', () => {
    const m = merged(cube(), {
      kind: 'mesh',
      positions: Float32Array.of(5, 0, 0, 6, 0, 0, 7, 0, 0),
      indices: Uint32Array.of(0, 1, 2),
    })
    expect(health(m)).toMatchObject({ zeroAreaFaces: 1, closed: false })
  })
  test('two cubes that run into each other', () =>
    expect(health(merged(cube(2), shifted(cube(2), 1, 0.9, 1.1))).crossings).toBeGreaterThan(0))
})

describe('crossings by exact predicates', () => {
  const pair = (...p: number[]): number =>
    findCrossings(
      { kind: 'mesh', positions: Float32Array.from(p), indices: Uint32Array.of(0, 1, 2, 3, 4, 5) },
      context(),
    ).length / 2
  const shared = (p: number[], f: number[]): number =>
    findCrossings({ kind: 'mesh', positions: Float32Array.from(p), indices: Uint32Array.from(f) }, context()).length / 2
  const flat = [0, 0, 0, 4, 0, 0, 0, 4, 0]
  test.each<[string, number[], number]>([
    ['pierced in the middle', [1, 1, -1, 1, 1, 1, 9, 9, 1], 1],
    ['beside it', [5, 5, -1, 5, 5, 1, 9, 9, 1], 0],
    ['parallel above', [0, 0, 0.001, 4, 0, 0.001, 0, 4, 0.001], 0],
    ['lying on it in one plane', [1, 1, 0, 2, 1, 0, 1, 2, 0], 1],
    ['in one plane but beside', [5, 5, 0, 6, 5, 0, 5, 6, 0], 0],
    ['touching with a corner inside', [1, 1, 0, 1, 1, 5, 2, 2, 5], 1],
    ['a hair above, one unit in the last place', [1, 1, 1e-7, 1, 1, 5, 2, 2, 5], 0],
  ])('%s', (_what, other, count) => expect(pair(...flat, ...other)).toBe(count))
  test('neighbours: a folded pair counts, a flat pair and a fan do not', () => {
    expect(shared([0, 0, 0, 4, 0, 0, 0, 4, 0, 1, 3, 0], [0, 1, 2, 1, 0, 3])).toBe(1)
    expect(shared([0, 0, 0, 4, 0, 0, 0, 4, 0, 4, -4, 0], [0, 1, 2, 1, 0, 3])).toBe(0)
    expect(shared([0, 0, 0, 4, 0, 0, 0, 4, 0, -4, 0, 0, 0, -4, 0], [0, 1, 2, 0, 3, 4])).toBe(0)
    expect(shared([0, 0, 0, 4, 0, 0, 0, 4, 0, 1, 1, -1, 1, 1, 1], [0, 1, 2, 0, 3, 4])).toBe(1)
  })
  test('the quick plane test never hides a crossing: 300 seeded pairs against the plain determinant on halves of a fine grid', () => {
    const r = seededRandom(12)
    let crossing = 0
    for (let i = 0; i < 300; i++) {
      const p = Array.from({ length: 18 }, () => r.integer(9) - 4)
      const found = pair(...p)
      // Exact in whole numbers: sample the second triangle's edges against the first by signed volumes, and the other
      // way round.
      const reference = wholeNumberCross(p) ? 1 : 0
      expect(found, p.join()).toBe(reference)
      crossing += reference
    }
    expect(crossing).toBeGreaterThan(30)
  })
  test('cancel is heard', () => {
    expect(() => findCrossings(torus(20, 6, 60, 40), { ...context(), cancelled: () => true })).toThrow('Stopped')
  })
})

/** Reference in exact whole-number arithmetic: closed triangles meet. Corners in general place or not. */
function wholeNumberCross(p: number[]): boolean {
  const at = (i: number): [number, number, number] => [p[i * 3], p[i * 3 + 1], p[i * 3 + 2]]
  const t: [number, number, number][] = [at(0), at(1), at(2)],
    u: [number, number, number][] = [at(3), at(4), at(5)]
  const sub = (a: number[], b: number[]) => a.map((v, i) => v - b[i])
  const cross = (a: number[], b: number[]) => [
    a[1] * b[2] - a[2] * b[1],
    a[2] * b[0] - a[0] * b[2],
    a[0] * b[1] - a[1] * b[0],
  ]
  const dot = (a: number[], b: number[]) => a.reduce((s, v, i) => s + v * b[i], 0)
  // Separating axes for two triangles: normals, edge × edge, and in-plane edge normals for coplanar ones. Closed sets:
  // only a strict gap separates.
  const edges = (x: number[][]) => [sub(x[1], x[0]), sub(x[2], x[1]), sub(x[0], x[2])]
  const n = cross(edges(t)[0], edges(t)[1]),
    m = cross(edges(u)[0], edges(u)[1])
  const axes = [
    n,
    m,
    ...edges(t).flatMap((e) => edges(u).map((f) => cross(e, f))),
    ...edges(t).map((e) => cross(n, e)),
    ...edges(u).map((e) => cross(m, e)),
  ]
  return !axes.some((axis) => {
    if (axis.every((v) => v === 0)) return false
    const a = t.map((x) => dot(x, axis)),
      b = u.map((x) => dot(x, axis))
    return Math.max(...a) < Math.min(...b) || Math.max(...b) < Math.min(...a)
  })
}

describe('topology and welding', () => {
  test('corners at one place become one point, −0 and 0 are the same place', () => {
    const m = weldVertices({
      kind: 'mesh',
      positions: Float32Array.of(0, 0, 0, 1, 0, 0, 0, 1, 0, -0, 0, -0, 0, 1, 0, -1, 0, 0),
      indices: Uint32Array.of(0, 1, 2, 3, 4, 5),
    })
    expect(m.positions.length / 3).toBe(4)
    expect(Array.from(m.indices)).toEqual([0, 1, 2, 0, 2, 3])
  })
  test('twins run against each other', () => {
    const { twin, edges } = edgeTopology(icosahedron())
    expect(edges).toBe(30)
    const { indices } = icosahedron()
    const next = (h: number) => (h % 3 === 2 ? h - 2 : h + 1)
    twin.forEach((t, h) => {
      expect(twin[t]).toBe(h)
      expect([indices[h], indices[next(h)]]).toEqual([indices[next(t)], indices[t]])
    })
  })
  test('two holes that share a corner are two loops', () => {
    const grid: number[] = [],
      faces: number[] = []
    for (let y = 0; y < 7; y++) for (let x = 0; x < 7; x++) grid.push(x, y, 0)
    for (let y = 0; y < 6; y++)
      for (let x = 0; x < 6; x++) {
        if ((x === 2 && y === 2) || (x === 3 && y === 3)) continue
        const a = y * 7 + x
        faces.push(a, a + 1, a + 8, a, a + 8, a + 7)
      }
    const m: TriangleMesh = { kind: 'mesh', positions: Float32Array.from(grid), indices: Uint32Array.from(faces) }
    expect(boundaryLoops(m, edgeTopology(m)).map((l) => l.perimeterMm)).toEqual([24, 4, 4])
  })
  test('slivers and sharp bends are counted: none on an even solid, all edges of a cube, one thin face', () => {
    expect(checkHealth(icosahedron(), context())).toMatchObject({ sliverFaces: 0, bentEdges: 0 })
    // The diagonals of a cube's sides do not bend.
    expect(checkHealth(cube(), context())).toMatchObject({ sliverFaces: 0, bentEdges: 12 })
    const thin: TriangleMesh = {
      kind: 'mesh',
      positions: Float32Array.of(0, 0, 0, 10, 0, 0, 5, 0.05, 0, 5, -8, 0),
      indices: Uint32Array.of(0, 1, 2, 1, 0, 3),
    }
    expect(checkHealth(thin, context())).toMatchObject({ sliverFaces: 1, bentEdges: 0 })
  })
  test('the part with most faces stays; others by what is wanted, told with their size', () => {
    const both = merged(icosahedron(), shifted(cube(), 9, 0, 0))
    expect(meshComponents(both).count).toBe(2)
    const { mesh, kept, dropped } = keepParts(both)
    expect([mesh.indices.length / 3, mesh.positions.length / 3]).toEqual([20, 12])
    expect([kept.length, dropped]).toEqual([1, [{ faces: 12, sizeMm: expect.closeTo(Math.sqrt(3), 6) as number }]])
    expect(keepParts(both, (v) => v >= 12).mesh).toBe(both)
    expect(keepParts(both, (v) => v < 12).dropped).toHaveLength(1)
  })
  test('normals of a ball-like solid look outward along the corners', () => {
    const n = vertexNormals(icosahedron())
    icosahedron().positions.forEach((v, i) => expect(n[i]).toBeCloseTo(v / Math.hypot(1, phi), 5))
    expect(cloudOfMesh(icosahedron()).normals).toEqual(n)
  })
})

test.each<[string, number[], number]>([
  ['edges that run the same way', [1, 0, 0, 0, 1, 0], 1],
  ['the same the other way round', [0, 1, 0, 1, 0, 0], 1],
  ['one edge in common, beside it', [-1, 0, 0, 0, 1, 0], 0],
  ['opposite', [-1, 0, 0, 0, -1, 0], 0],
])('flat faces with one corner in common: %s', (_what, far, crossings) => {
  const mesh: TriangleMesh = {
    kind: 'mesh',
    positions: Float32Array.from([0, 0, 0, 2, 0, 0, 0, 2, 0, ...far]),
    indices: Uint32Array.from([0, 1, 2, 0, 3, 4]),
  }
  expect(findCrossings(mesh, context()).length / 2).toBe(crossings)
})
