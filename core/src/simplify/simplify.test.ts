import { describe, expect, test } from 'vitest'
import { polygonise } from '../bench/polygonise'
import { quietContext } from '../context'
import { seededRandom } from '../linear/random'
import { checkHealth } from '../mesh/health'
import { boundsOf, EVIDENCE, type TriangleMesh } from '../shapes'
import { TriangleBvh } from '../spatial/triangle-bvh'
import { angleBeam, cube, torus, withoutFaces } from '../testing/solids'
import { inFour } from '../testing/altered'
import { HalfEdgeMesh } from '../mesh/half-edge-mesh'
import { simplifyMesh } from './simplify'

const context = () => quietContext()
const health = (m: TriangleMesh) => checkHealth(m, context())

describe('fewer triangles', () => {
  const fine = torus(20, 6, 200, 100)
  const fromTorus = (p: ArrayLike<number>, i: number): number =>
    Math.abs(Math.hypot(Math.hypot(p[i], p[i + 1]) - 20, p[i + 2]) - 6)
  test('to a face count: closed, right genus, the volume of the input', () => {
    const { mesh } = simplifyMesh(fine, { faces: 4000 })
    const before = health(fine),
      after = health(mesh)
    expect(after.faces).toBeLessThanOrEqual(4000)
    expect(after.faces).toBeGreaterThan(3990)
    expect(after).toMatchObject({ closed: true, genus: 1, crossings: 0 })
    // The place of a merged point is chosen where the volume stays.
    expect(Math.abs(after.volumeMm3 / before.volumeMm3 - 1)).toBeLessThan(1e-5)
  })
  test('what it says of the deviation is what a search over the whole surface finds', () => {
    const { mesh, deviationMm } = simplifyMesh(fine, { faces: 1500 })
    const bvh = new TriangleBvh(mesh)
    let most = 0
    for (let i = 0; i < fine.positions.length; i += 3) {
      bvh.closest(fine.positions[i], fine.positions[i + 1], fine.positions[i + 2])
      most = Math.max(most, Math.sqrt(bvh.result.distance2))
    }
    expect(deviationMm).toBeCloseTo(most, 6)
    expect(deviationMm).toBeGreaterThan(0.05)
  })
  test('to a deviation: no point of the input lies farther off, none of the output farther from the true ring', () => {
    const { mesh, deviationMm } = simplifyMesh(fine, { deviationMm: 0.05 })
    expect(mesh.indices.length).toBeLessThan(fine.indices.length / 4)
    expect(deviationMm).toBeLessThanOrEqual(0.05)
    expect(deviationMm).toBeGreaterThan(0.025)
    for (let i = 0; i < mesh.positions.length; i += 3) expect(fromTorus(mesh.positions, i)).toBeLessThan(0.06)
  })
  test('bounds stay', () => {
    const { mesh } = simplifyMesh(fine, { faces: 2000 })
    boundsOf(mesh.positions).max.forEach((v, i) =>
      expect(Math.abs(v - boundsOf(fine.positions).max[i])).toBeLessThan(0.2),
    )
  })
  test.each<[string, TriangleMesh, number]>([
    ['a cube', cube(10), 12],
    ['a beam with an inward edge', angleBeam(20, 8, 24), 20],
  ])('what is exactly flat is reduced fully: %s', (_what, solid, least) => {
    const before = health(solid)
    const { mesh, deviationMm } = simplifyMesh(inFour(solid, 4), { deviationMm: 0.001 })
    const after = health(mesh)
    expect(after.faces).toBe(least)
    expect(after.volumeMm3).toBeCloseTo(before.volumeMm3, 2)
    expect(deviationMm).toBeLessThan(1e-4)
  })
  test('borders stay where they are', () => {
    const open = withoutFaces(fine, [0, 1, 2, 3, 4, 5, 6, 7, 400, 401, 402, 403])
    const before = health(open)
    const { mesh } = simplifyMesh(open, { faces: 3000 })
    const after = health(mesh)
    expect(after.borderEdges).toBe(before.borderEdges)
    expect(after.loops.map((l) => l.perimeterMm)).toEqual(before.loops.map((l) => expect.closeTo(l.perimeterMm, 4)))
    expect(after.faces).toBeLessThanOrEqual(3000)
  })
  test('what is no surface stays as it is, and the rest gets fewer', () => {
    // Two rings that share an edge: it has four faces.
    const other = fine.positions.map((v, i) => (i % 3 === 0 ? v + 60 : v))
    const positions = new Float32Array([...fine.positions, ...other])
    const shift = fine.positions.length / 3
    const indices = new Uint32Array([...fine.indices, ...fine.indices.map((v) => v + shift)])
    const [a, b] = fine.indices
    for (let i = 0; i < indices.length; i++) {
      if (indices[i] === a + shift) indices[i] = a
      if (indices[i] === b + shift) indices[i] = b
    }
    const touching: TriangleMesh = { kind: 'mesh', positions, indices }
    const before = health(touching)
    expect(before.nonManifoldEdges).toBe(1)
    const { mesh, faultyPoints } = simplifyMesh(touching, { faces: 6000 })
    const after = health(mesh)
    expect([after.nonManifoldEdges, after.borderEdges, faultyPoints]).toEqual([1, 0, 0])
    expect(after.faces).toBeLessThan(6010)
  })
  test('colours are the mean of what was merged, and evidence what most of it was', () => {
    const n = fine.positions.length / 3
    const colours = new Uint8Array(n * 3)
    const evidence = new Uint8Array(n)
    for (let v = 0; v < n; v++) {
      const right = fine.positions[v * 3] > 0
      colours[v * 3] = right ? 200 : 100
      evidence[v] = right ? EVIDENCE.invented : EVIDENCE.measured
    }
    const { mesh } = simplifyMesh({ ...fine, colours, evidence }, { faces: 4000 })
    let wrong = 0
    for (let v = 0; v < mesh.positions.length / 3; v++) {
      const x = mesh.positions[v * 3]
      if (Math.abs(x) < 6) continue
      if (mesh.evidence![v] !== (x > 0 ? EVIDENCE.invented : EVIDENCE.measured)) wrong++
      if (mesh.colours![v * 3] !== (x > 0 ? 200 : 100)) wrong++
    }
    expect(wrong).toBe(0)
  })
  /** A contoured surface has many short edges; plain collapsing pinches and folds it. */
  const bumpy = (): TriangleMesh =>
    polygonise(
      (x, y, z) =>
        Math.hypot(Math.hypot(x, y) - 14, z) - 5 + 0.15 * Math.sin(3 * x) * Math.sin(3.3 * y) * Math.cos(2.9 * z),
      { min: [-21, -21, -7], max: [21, 21, 7] },
      0.7,
      context(),
    )
  test.each([15_000, 3000, 800])('a bumpy contour stays sound down to %s triangles', (faces) => {
    const rough = bumpy()
    const start = health(rough)
    const { mesh, faultyPoints } = simplifyMesh(rough, { faces })
    const h = health(mesh)
    expect(Math.abs(h.faces / faces - 1)).toBeLessThan(0.01)
    expect(h.nonManifoldEdges + h.nonManifoldVertices + h.flippedEdges).toBe(0)
    expect([h.genus, h.crossings, faultyPoints]).toEqual([start.genus, 0, 0])
  })
  /** Two rough sheets a hair apart, joined at their rims. */
  const thin = (): TriangleMesh => {
    const random = seededRandom(7)
    const height = Float64Array.from({ length: 41 * 41 }, () => 0.4 * random.gaussian())
    const positions: number[] = [],
      indices: number[] = []
    for (const side of [0, 1])
      for (let i = 0; i < 41 * 41; i++) positions.push(i % 41, Math.floor(i / 41), height[i] + (side === 0 ? 0.02 : 0))
    const at = (side: number, x: number, y: number): number => side * 41 * 41 + y * 41 + x
    for (let y = 0; y < 40; y++)
      for (let x = 0; x < 40; x++) {
        const [a, b, c, d] = [at(0, x, y), at(0, x + 1, y), at(0, x + 1, y + 1), at(0, x, y + 1)]
        indices.push(a, b, c, a, c, d)
        const [e, f, g, h] = [at(1, x, y), at(1, x + 1, y), at(1, x + 1, y + 1), at(1, x, y + 1)]
        indices.push(e, g, f, e, h, g)
      }
    for (let k = 0; k < 40; k++) {
      const wall = (a: number, b: number, c: number, d: number): void => void indices.push(a, c, b, b, c, d)
      wall(at(0, k, 0), at(0, k + 1, 0), at(1, k, 0), at(1, k + 1, 0))
      wall(at(0, k + 1, 40), at(0, k, 40), at(1, k + 1, 40), at(1, k, 40))
      wall(at(0, 40, k), at(0, 40, k + 1), at(1, 40, k), at(1, 40, k + 1))
      wall(at(0, 0, k + 1), at(0, 0, k), at(1, 0, k + 1), at(1, 0, k))
    }
    return { kind: 'mesh', positions: Float32Array.from(positions), indices: Uint32Array.from(indices) }
  }
  test('two sheets a hair apart: crossings are given back, and what is left is told', () => {
    const plate = thin()
    expect(health(plate)).toMatchObject({ closed: true, crossings: 0, genus: 0 })
    const once = simplifyMesh(plate, { faces: 1500, rounds: 1 })
    expect(health(once.mesh).crossings).toBeGreaterThan(0)
    expect(once.faultyPoints).toBeGreaterThan(0)
    const more = simplifyMesh(plate, { faces: 1500 })
    expect(more.faultyPoints).toBeLessThan(once.faultyPoints)
    expect(more.faultyPoints === 0).toBe(health(more.mesh).crossings === 0)
  })
  test.each<[string, Parameters<typeof simplifyMesh>[1], string]>([
    ['nothing asked', {}, 'Say how many faces'],
    ['too few', { faces: 3 }, '3 is too few'],
    ['no whole number', { faces: 10.5 }, 'too few'],
    ['no deviation', { deviationMm: 0 }, 'larger than 0 mm'],
  ])('%s is refused', (_what, options, sentence) => {
    expect(() => simplifyMesh(fine, options)).toThrow(sentence)
  })
})

test('a closed mesh stays one a half-edge structure takes', () => {
  const { mesh } = simplifyMesh(torus(20, 6, 60, 30), { faces: 200 })
  expect(new HalfEdgeMesh(mesh).halfEdges).toBe(mesh.indices.length)
})
