import { describe, expect, test } from 'vitest'
import { quietContext } from '../context'
import { torus, cube, withoutFaces } from '../testing/solids'
import { ballMesh } from '../testing/altered'
import { EVIDENCE, type TriangleMesh } from '../shapes'
import { evidenceShares } from '../fuse/evidence'
import { cutByPlane } from './cut-plane'
import { fillHoles } from '../holes/fill-holes'
import { checkHealth } from './health'
import { curveLengthMm, curveOf, findRim, rimsOfMesh } from './rims'

const context = quietContext(1)
const cut = (mesh: TriangleMesh, normal: number[], offsetMm: number, cap = true) =>
  cutByPlane(mesh, { normal, offsetMm }, cap, context)

describe('cutting along a plane', () => {
  test('a cube in two: half its volume, closed, without crossings, also along its own corners', () => {
    for (const [normal, offset, volume] of [
      [[0, 0, 1], 0.5, 0.5],
      [[0, 0, -2], -0.25, 0.25],
      [[1, 1, 0], Math.SQRT1_2, 0.5],
      [[1, 1, 1], Math.sqrt(3) / 2, 0.5],
    ] as const) {
      const half = cut(cube(1), [...normal], offset)
      const health = checkHealth(half.mesh, context)
      expect(health).toMatchObject({ closed: true, manifold: true, crossings: 0, components: 1 })
      expect(health.volumeMm3).toBeCloseTo(volume, 5)
    }
  })
  test('a cap of a sphere has the volume of the closed form, π h² (3 r − h) / 3 (Harris and Stocker 1998, 4.9)', () => {
    const [r, h] = [10, 4]
    const mesh = ballMesh(r, 5)
    const part = cut(mesh, [0, 0, 1], r - h)
    const health = checkHealth(part.mesh, context)
    const exact = (Math.PI * h * h * (3 * r - h)) / 3
    expect(health).toMatchObject({ closed: true, crossings: 0 })
    expect(Math.abs(health.volumeMm3 / exact - 1)).toBeLessThan(2e-3)
    // Its rim is a circle of radius √(r² − (r − h)²).
    expect(curveLengthMm(part.rims[0]) / (2 * Math.PI * Math.sqrt(r * r - (r - h) ** 2))).toBeCloseTo(1, 3)
    // The cap was never seen, and is told so: all of its area, and hardly more.
    const seen = evidenceShares({ ...part.mesh, evidence: part.mesh.evidence! })
    const disk = Math.PI * (r * r - (r - h) ** 2)
    expect(seen.invented).toBeGreaterThan(disk / (disk + 2 * Math.PI * r * h))
    expect(seen.invented).toBeLessThan((1.2 * disk) / (disk + 2 * Math.PI * r * h))
  })
  test('a ring lying in the plane is closed by a ring, one standing in it by two disks', () => {
    const ring = torus(10, 3, 60, 40)
    const whole = checkHealth(ring, context).volumeMm3
    const flat = cut(ring, [0, 0, 1], 0.02)
    expect([flat.rims.length, flat.capped]).toEqual([2, 2])
    expect(checkHealth(flat.mesh, context)).toMatchObject({ closed: true, crossings: 0, genus: 1 })
    const upright = checkHealth(cut(ring, [1, 0, 0], 0.03).mesh, context)
    expect(upright).toMatchObject({ closed: true, crossings: 0, genus: 0, components: 1 })
    expect(upright.volumeMm3 / whole).toBeCloseTo(0.5, 2)
  })
  test('left open it has its rim as a hole; an open border across the plane is no rim and stays', () => {
    const open = cut(ballMesh(10, 3), [0, 0, 1], 0.1, false)
    expect(checkHealth(open.mesh, context).loops).toHaveLength(1)
    // A box without one side: level with that side the cut is a closed curve, across it an open chain.
    const box = withoutFaces(cube(1), [0, 1])
    const axes = [
      [1, 0, 0],
      [0, 1, 0],
      [0, 0, 1],
    ]
    expect(axes.map((axis) => cut(box, axis, 0.5).capped).sort()).toEqual([0, 0, 1])
  })
  test('what has no sense is refused: no direction, beside the mesh, all of it', () => {
    expect(() => cut(cube(1), [0, 0, 0], 0)).toThrow('no direction')
    expect(() => cut(cube(1), [0, 0, 1], -1)).toThrow('nothing to cut')
    expect(() => cut(cube(1), [0, 0, 1], 2)).toThrow('nothing would be left')
  })
})

describe('a hole by its rim', () => {
  const open = cut(ballMesh(10, 4), [0, 0, 1], -7, false).mesh
  const other = cut(ballMesh(10, 5), [0, 0, 1], -7, false).mesh
  const curve = curveOf(open, rimsOfMesh(open)[0].vertices)
  test('is found on another mesh of the same piece; a place away, or of another length, it is not', () => {
    expect(findRim(other, rimsOfMesh(other), curve, 0.3)).toMatchObject({ loop: 0 })
    const off = curve.map((v, i) => (i % 3 === 2 ? v + 1 : v))
    expect(findRim(other, rimsOfMesh(other), off, 0.3).loop).toBeNull()
    const short = curve.slice(0, curve.length / 3)
    expect(findRim(other, rimsOfMesh(other), short, 0.3).loop).toBeNull()
  })
  test('alone is closed, following the curve or flat, and what closed it is told as invented', () => {
    const twice = cut(open, [0, 0, -1], -7, false).mesh
    const rims = rimsOfMesh(twice)
    expect(rims).toHaveLength(2)
    const top = rims.findIndex((l) => twice.positions[l.vertices[0] * 3 + 2] > 0)
    for (const kind of ['curved', 'flat'] as const) {
      const filled = fillHoles(twice, { perimeterMm: Infinity, only: [top], kind }, context)
      expect([filled.closedHoles, filled.leftOpen]).toEqual([1, 1])
      expect(filled.mesh.evidence!.some((e) => e === EVIDENCE.invented)).toBe(true)
      const highest = filled.mesh.positions.reduce((m, v, i) => (i % 3 === 2 ? Math.max(m, v) : m), -Infinity)
      // The ball's cap is 3 mm high; flat it is none.
      expect(highest).toBeGreaterThan(kind === 'flat' ? 6.99 : 8.5)
      expect(highest).toBeLessThan(kind === 'flat' ? 7.01 : 10.6)
    }
  })
})
