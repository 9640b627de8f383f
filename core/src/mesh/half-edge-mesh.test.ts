import { describe, expect, test } from 'vitest'
import { seededRandom } from '../linear/random'
import type { TriangleMesh } from '../shapes'
import { cube, icosahedron, octahedron, tetrahedron, torus, withoutFaces } from '../testing/solids'
import { HalfEdgeMesh } from './half-edge-mesh'
import { boundaryLoops, edgeTopology } from './topology'

/** What is left, with a place for each point that was put in: only connectivity is asked for. */
const meshOf = (m: HalfEdgeMesh): TriangleMesh => ({
  kind: 'mesh',
  positions: new Float32Array(m.points * 3),
  indices: m.indices(),
})
/** Vertices in use − edges + faces. */
function euler(m: HalfEdgeMesh): number {
  const mesh = meshOf(m)
  return new Set(mesh.indices).size - edgeTopology(mesh).edges + mesh.indices.length / 3
}
const halfEdge = (m: HalfEdgeMesh, a: number, b: number): number =>
  Array.from({ length: m.halfEdges }, (_, h) => h).find((h) => !m.isGone(h) && m.origin(h) === a && m.tip(h) === b)!

/** Every pointer says the same as the faces do when they are read anew. */
function expectTrue(m: HalfEdgeMesh): void {
  for (let h = 0; h < m.halfEdges; h++) {
    if (m.isGone(h)) continue
    const t = m.twin(h)
    if (t >= 0) {
      expect(m.twin(t)).toBe(h)
      expect([m.origin(t), m.tip(t)]).toEqual([m.tip(h), m.origin(h)])
    }
  }
  const { nonManifoldEdges, flippedEdges } = edgeTopology(meshOf(m))
  expect([nonManifoldEdges, flippedEdges]).toEqual([0, 0])
  const degree = new Map<number, number>()
  for (const v of m.indices()) degree.set(v, (degree.get(v) ?? 0) + 1)
  for (let v = 0; v < m.points; v++) {
    const round = m.outgoing(v)
    expect(round.every((h) => m.origin(h) === v)).toBe(true)
    expect(new Set(round).size).toBe(round.length)
    expect(round.length).toBe(degree.get(v) ?? 0)
  }
}

describe('a mesh that is edited', () => {
  test('knows each point’s neighbours: four round a corner of an octahedron, three and five elsewhere', () => {
    expect(new HalfEdgeMesh(octahedron()).neighbours(0)).toHaveLength(4)
    expect(new HalfEdgeMesh(tetrahedron()).neighbours(0)).toHaveLength(3)
    const ico = new HalfEdgeMesh(icosahedron())
    for (let v = 0; v < 12; v++) expect(ico.neighbours(v)).toHaveLength(5)
    const open = new HalfEdgeMesh(withoutFaces(icosahedron(), [0]))
    const corner = icosahedron().indices[0]
    expect(open.isBorderPoint(corner)).toBe(true)
    expect(new Set(open.neighbours(corner)).size).toBe(5)
  })
  test('turns an edge between two faces; turned twice more it stands as before, and its faces too', () => {
    const solid = cube()
    const m = new HalfEdgeMesh(solid)
    const h = Array.from({ length: 36 }, (_, i) => i).find((i) => m.canFlip(i))!
    const [a, b, c, d] = [m.origin(h), m.tip(h), m.apex(h), m.apex(m.twin(h))]
    m.flip(h)
    expect([m.origin(h), m.tip(h)]).toEqual([d, c])
    expect(m.hasEdge(a, b)).toBe(false)
    expectTrue(m)
    m.flip(h)
    expect(m.hasEdge(a, b)).toBe(true)
    expect(euler(m)).toBe(2)
    expectTrue(m)
  })
  test('turns no edge of a tetrahedron, takes none away, and none at a border is turned', () => {
    const m = new HalfEdgeMesh(tetrahedron())
    for (let h = 0; h < 12; h++) expect([m.canFlip(h), m.canCollapse(h)]).toEqual([false, false])
    expect(() => m.flip(0)).toThrow('cannot be turned')
    expect(() => m.collapse(0)).toThrow('cannot be taken away')
    const open = new HalfEdgeMesh(withoutFaces(octahedron(), [0]))
    const border = Array.from({ length: 21 }, (_, h) => h).filter((h) => open.twin(h) < 0)
    expect(border).toHaveLength(3)
    for (const h of border) expect(open.canFlip(h)).toBe(false)
  })
  test('splits an inner edge into four faces round a point of four, a border edge into two round one of three', () => {
    const m = new HalfEdgeMesh(octahedron())
    const v = m.split(0)
    expect(v).toBe(6)
    expect(m.neighbours(v)).toHaveLength(4)
    expect(m.indices()).toHaveLength(30)
    expect(euler(m)).toBe(2)
    expectTrue(m)
    const open = new HalfEdgeMesh(withoutFaces(octahedron(), [0]))
    const h = Array.from({ length: 21 }, (_, i) => i).find((i) => open.twin(i) < 0)!
    const w = open.split(h)
    expect(new Set(open.neighbours(w)).size).toBe(3)
    expect(open.isBorderPoint(w)).toBe(true)
    expect(euler(open)).toBe(1)
    expectTrue(open)
    expect(boundaryLoops(meshOf(open), edgeTopology(meshOf(open))).map((l) => l.vertices.length)).toEqual([4])
  })
  test('takes an edge away with its two faces, and gives back what a split put in', () => {
    const m = new HalfEdgeMesh(icosahedron())
    const before = new Set(meshOf(m).indices)
    const [a, b] = [m.origin(0), m.tip(0)]
    const v = m.split(0)
    m.collapse(halfEdge(m, v, b))
    expect(m.indices()).toHaveLength(60)
    expect(new Set(m.indices())).toEqual(before)
    expect(m.hasEdge(a, b)).toBe(true)
    expectTrue(m)
    m.collapse(halfEdge(m, a, b))
    expect(m.indices()).toHaveLength(54)
    expect(m.outgoing(a)).toEqual([])
    expect(euler(m)).toBe(2)
    expectTrue(m)
  })
  test('does not close the throat of a ring three edges round (the link condition)', () => {
    // A tube of triangles, three points round: an edge of a ring has the third point as a common neighbour as well.
    const rings = 4
    const at = (r: number, k: number): number => r * 3 + (k % 3)
    const indices: number[] = []
    for (let r = 0; r + 1 < rings; r++)
      for (let k = 0; k < 3; k++)
        indices.push(at(r, k), at(r, k + 1), at(r + 1, k), at(r, k + 1), at(r + 1, k + 1), at(r + 1, k))
    const m = new HalfEdgeMesh({ positions: new Float32Array(36), indices: Uint32Array.from(indices) })
    expect(m.canCollapse(halfEdge(m, at(1, 0), at(1, 1)))).toBe(false)
    // Along the tube, from border to border, is no way either.
    const long = new HalfEdgeMesh({ positions: new Float32Array(18), indices: Uint32Array.from(indices.slice(0, 18)) })
    expect(long.canCollapse(halfEdge(long, at(0, 1), at(1, 0)))).toBe(false)
  })
  test.each([
    ['a ring', torus(20, 6, 18, 12), 0],
    ['a ball', icosahedron(), 2],
    ['a ring with a hole', withoutFaces(torus(20, 6, 18, 12), [5, 6, 7]), -1],
  ])('stays the surface it is through 4,000 seeded edits: %s', (_what, solid, characteristic) => {
    const m = new HalfEdgeMesh(solid)
    expect(euler(m)).toBe(characteristic)
    const random = seededRandom(3)
    const done = { flip: 0, split: 0, collapse: 0 }
    for (let i = 0; i < 4000; i++) {
      const h = Math.floor(random.next() * m.halfEdges)
      const what = (['flip', 'split', 'collapse'] as const)[Math.floor(random.next() * 3)]
      if (m.isGone(h) || (what === 'flip' && !m.canFlip(h)) || (what === 'collapse' && !m.canCollapse(h))) continue
      m[what](h)
      done[what]++
    }
    for (const count of Object.values(done)) expect(count).toBeGreaterThan(300)
    expect(euler(m)).toBe(characteristic)
    expectTrue(m)
    // Closed up, it is the same surface under other numbers.
    const before = m.indices()
    const was = m.compact()
    expect(m.indices().map((v) => was[v])).toEqual(before)
    expect(m.points).toBe(new Set(before).size)
    expect(m.halfEdges).toBe(before.length)
    expectTrue(m)
  })
  test('refuses what is no surface: three faces at an edge, two tetrahedra that touch in a point', () => {
    expect(
      () => new HalfEdgeMesh({ positions: new Float32Array(15), indices: Uint32Array.of(0, 1, 2, 1, 0, 3, 0, 1, 4) }),
    ).toThrow('more than two faces')
    const t = tetrahedron()
    const second = t.indices.map((v) => (v === 0 ? 0 : v + 3))
    expect(
      () => new HalfEdgeMesh({ positions: new Float32Array(21), indices: Uint32Array.of(...t.indices, ...second) }),
    ).toThrow('meet in one point')
  })
})
