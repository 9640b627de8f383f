import { describe, expect, test } from 'vitest'
import { quietContext } from '../context'
import { checkHealth, massProperties } from '../mesh/health'
import { EVIDENCE, type TriangleMesh } from '../shapes'
import { cube, icosahedron, torus, withoutFaces } from '../testing/solids'
import { merged, shifted } from '../testing/altered'
import { fillHoles } from './fill-holes'

const context = () => quietContext()
const health = (m: TriangleMesh) => checkHealth(m, context())

describe('closing holes', () => {
  test('a flat hole in a cube is closed: healthy, same volume, new points are invented', () => {
    const r = fillHoles(withoutFaces(cube(2), [0, 1]), { perimeterMm: Infinity }, context())
    expect(health(r.mesh)).toMatchObject({ closed: true, manifold: true, crossings: 0, genus: 0 })
    expect(massProperties(r.mesh).volumeMm3).toBeCloseTo(8, 5)
    expect(r).toMatchObject({ closedHoles: 1, leftOpen: 0 })
  })
  test('a hole in a torus follows the curvature: within a twentieth of its width of the true surface', () => {
    const m = torus(20, 6, 120, 60)
    const gone = Array.from({ length: m.indices.length / 3 }, (_, f) => f).filter((f) =>
      [0, 1, 2].every((c) => {
        const v = m.indices[f * 3 + c] * 3
        return Math.hypot(m.positions[v] - 20, m.positions[v + 1], m.positions[v + 2] - 6) < 3
      }),
    )
    expect(gone.length).toBeGreaterThan(40)
    const r = fillHoles(withoutFaces(m, gone), { perimeterMm: 100 }, context())
    expect(health(r.mesh)).toMatchObject({ closed: true, manifold: true, crossings: 0, genus: 1 })
    let far = 0
    let invented = 0
    r.mesh.evidence!.forEach((e, i) => {
      if (e !== EVIDENCE.invented) return
      invented++
      const [x, y, z] = [r.mesh.positions[i * 3], r.mesh.positions[i * 3 + 1], r.mesh.positions[i * 3 + 2]]
      far = Math.max(far, Math.abs(Math.hypot(Math.hypot(x, y) - 20, z) - 6))
    })
    expect(invented).toBeGreaterThan(20)
    expect(far).toBeLessThan(0.3)
  })
  test('only rims up to the limit are closed', () => {
    const m = merged(withoutFaces(cube(1), [0, 1]), shifted(withoutFaces(cube(5), [0, 1]), 9))
    const r = fillHoles(m, { perimeterMm: 6 }, context())
    expect(r).toMatchObject({ closedHoles: 1, leftOpen: 1 })
    expect(() => fillHoles(m, { perimeterMm: 0 }, context())).toThrow('larger than 0 mm, not 0')
  })
  test('a closed mesh is left as it is', () => {
    const r = fillHoles(icosahedron(), { perimeterMm: Infinity }, context())
    expect(r.facesAdded).toBe(0)
    expect(r.mesh.positions).toEqual(icosahedron().positions)
  })
})

describe('a hole whose rim is joined across already', () => {
  // Two faces of a regular tetrahedron: the rim has four points, and one of its two chords is the faces' own edge.
  const corners = [1, 1, 1, 1, -1, -1, -1, 1, -1, -1, -1, 1]
  const open: TriangleMesh = {
    kind: 'mesh',
    positions: Float32Array.from(corners),
    indices: Uint32Array.from([0, 1, 2, 0, 3, 1]),
  }
  test('the other chord closes it: the tetrahedron’s own volume (edge³ / (6 √2))', () => {
    const { mesh } = fillHoles(open, { perimeterMm: Infinity }, context())
    const h = health(mesh)
    expect([h.closed, h.nonManifoldEdges, h.faces]).toEqual([true, 0, 4])
    expect(Math.abs(h.volumeMm3)).toBeCloseTo((2 * Math.SQRT2) ** 3 / (6 * Math.SQRT2), 6)
  })
  test('where both chords are taken a point in the middle closes it', () => {
    // A hole in a skirt, its corners up and down in turn; on each diagonal stands a leaf of two faces back to back.
    const skirted: TriangleMesh = {
      kind: 'mesh',
      positions: Float32Array.from(
        [
          [1, 1, 0.5, -1, 1, -0.5, -1, -1, 0.5, 1, -1, -0.5],
          [3, 3, 0, -3, 3, 0, -3, -3, 0, 3, -3, 0],
          [0, 0, 2, 0, 0, -2],
        ].flat(),
      ),
      indices: Uint32Array.from([
        ...[0, 1, 2, 3].flatMap((i) => [i, i + 4, ((i + 1) % 4) + 4, i, ((i + 1) % 4) + 4, (i + 1) % 4]),
        ...[0, 2, 8, 2, 0, 8, 1, 3, 9, 3, 1, 9],
      ]),
    }
    const { mesh, closedHoles, facesAdded } = fillHoles(skirted, { perimeterMm: 10 }, context())
    expect([closedHoles, facesAdded, mesh.positions.length / 3]).toEqual([1, 4, 11])
    expect(health(mesh).nonManifoldEdges).toBe(health(skirted).nonManifoldEdges)
    expect(health(mesh).crossings).toBe(health(skirted).crossings)
    // Without a diagonal two triangles do.
    const plain = { ...skirted, indices: skirted.indices.slice(0, 24) }
    expect(fillHoles(plain, { perimeterMm: 10 }, context()).facesAdded).toBeLessThan(4)
  })
})
