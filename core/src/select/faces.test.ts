import { describe, expect, test } from 'vitest'
import type { TriangleMesh } from '../shapes'
import { ballMesh, inFour, merged, shifted } from '../testing/altered'
import { cube, dodecahedron, exploded, icosahedron, octahedron, torus } from '../testing/solids'
import { countBits, indicesOf } from './bits'
import { selectInBox } from './by-value'
import { areaOfFaces, connectedFaces, faceItems } from './faces'
import { flatPatch } from './flat-patch'
import { selectByBrush } from './brush'
import { lookOf } from './front'
import { facesOfRegion, type MeshRegion } from './mesh-region'

describe('faces are chosen as points are', () => {
  test('by their middles and normals: a box over the upper half of a ring takes the faces there', () => {
    const ring = torus(20, 6, 40, 24)
    const { positions, normals } = faceItems(ring)
    const chosen = selectInBox(positions, [-100, -100, 0], [100, 100, 100])
    expect(countBits(chosen)).toBe(ring.indices.length / 6)
    // Normals of a torus point from the circle of its middle.
    for (const f of indicesOf(chosen)) expect(normals[f * 3 + 2]).toBeGreaterThan(0)
  })
  test('a brush on one side of a thin wall takes none of its back', () => {
    const wall = cube(10)
    const thin: TriangleMesh = { ...wall, positions: wall.positions.map((v, i) => (i % 3 === 2 ? v / 100 : v)) }
    const items = faceItems(thin)
    const top = indicesOf(selectInBox(items.positions, [-99, -99, 0.04], [99, 99, 99]))
    const stroke = [...items.positions.subarray(top[0] * 3, top[0] * 3 + 3)]
    const bits = selectByBrush(items, stroke, 4, null, [0, 0, 1])
    expect(countBits(bits)).toBeGreaterThan(0)
    for (const f of indicesOf(bits)) expect(items.normals[f * 3 + 2]).toBeGreaterThanOrEqual(0)
    expect(countBits(selectByBrush(items, stroke, 4, null))).toBeGreaterThan(countBits(bits))
  })
  test('an outline on the front takes what shows in it: not the back, and nothing behind another part', () => {
    // Two rings, one straight above the other, looked at from above; the lower one shows nowhere.
    const one = torus(20, 6, 60, 40),
      under = torus(20, 5.5, 60, 40),
      n = one.positions.length / 3
    const two: TriangleMesh = {
      kind: 'mesh',
      positions: Float32Array.of(...one.positions, ...under.positions.map((v, i) => (i % 3 === 2 ? v - 30 : v))),
      indices: Uint32Array.of(...one.indices, ...under.indices.map((v) => v + n)),
    }
    // x and y of the piece are those of the picture, 10 px a millimetre; depth grows downwards.
    const matrix = [1 / 40, 0, 0, 0, 0, 1 / 40, 0, 0, 0, 0, -1 / 100, 0, 0, 0, 0, 1]
    const view = { matrix, width: 800, height: 800 }
    expect(lookOf(view)).toEqual([0, 0, -1])
    const polygon = [0, 0, 800, 0, 800, 800, 0, 800]
    const all = facesOfRegion(two, { kind: 'lasso', ...view, polygon, front: null })
    expect(countBits(all)).toBe(two.indices.length / 3)
    const seen = facesOfRegion(two, { kind: 'lasso', ...view, polygon, front: lookOf(view) })
    const { normals } = faceItems(two)
    const faces = indicesOf(seen)
    expect(faces.every((f) => f < one.indices.length / 3)).toBe(true)
    const facing = Array.from({ length: one.indices.length / 3 }, (_, f) => f).filter((f) => normals[f * 3 + 2] > 0.1)
    expect(faces.filter((f) => normals[f * 3 + 2] > 0.1).length).toBe(facing.length)
    expect(faces.every((f) => normals[f * 3 + 2] > -0.11)).toBe(true)
  })
  test('what hangs together: one ball of two, and one face of a soup', () => {
    const ball = icosahedron()
    const two: TriangleMesh = {
      kind: 'mesh',
      positions: Float32Array.of(...ball.positions, ...octahedron().positions),
      indices: Uint32Array.of(...ball.indices, ...octahedron().indices.map((v) => v + 12)),
    }
    expect([...indicesOf(connectedFaces(two, 21))]).toEqual([20, 21, 22, 23, 24, 25, 26, 27])
    expect(countBits(connectedFaces(two, 0))).toBe(20)
    expect(countBits(connectedFaces(exploded(ball), 3))).toBe(1)
  })
  test('a flat patch is a cube’s side below 90°, a dodecahedron’s face below 63.43° and more above', () => {
    const unit = cube()
    for (const at of [
      [0.5, 0.5, 1],
      [0, 0.3, 0.6],
    ])
      expect(countBits(flatPatch(unit, at, 89.9))).toBe(2)
    // Dihedral angle of the dodecahedron: 116.565° (arccos(−1/√5)), so that normals turn by 63.435°.
    const d = dodecahedron()
    const [x, y, z] = faceItems(d).positions
    expect(countBits(flatPatch(d, [x, y, z], 63.4))).toBe(3)
    expect(countBits(flatPatch(d, [x, y, z], 63.5))).toBeGreaterThan(3)
  })
  test('refusals say what is wrong', () => {
    expect(() => connectedFaces(cube(), 12)).toThrow('There is no triangle 13; there are 12.')
  })
})

describe('regions by what they are on', () => {
  const box = inFour({ ...cube(), positions: cube().positions.map((v) => v * 20) }, 4)
  const top = Math.max(...box.positions)
  const at = [[top / 2, top / 2, top]]
  const area = (mesh: TriangleMesh, region: MeshRegion): number => areaOfFaces(mesh, facesOfRegion(mesh, region))
  test('a flat patch ends at the edge; with an angle as wide as the edge it goes on', () => {
    expect(area(box, { kind: 'patch', seeds: at, angleDeg: 30 })).toBeCloseTo(400, 1)
    const ball = ballMesh(20, 4)
    // A cap of a ball that faces within 30° of its middle: 2πr²(1 − cos 30°).
    const cap = 2 * Math.PI * 400 * (1 - Math.cos(Math.PI / 6))
    expect(Math.abs(area(ball, { kind: 'patch', seeds: [[0, 0, 20]], angleDeg: 30 }) / cap - 1)).toBeLessThan(0.08)
  })
  test('grown it goes round the edges, shrunk it draws back, and both by so much', () => {
    const side = 20
    const grown = area(box, { kind: 'patch', seeds: at, angleDeg: 30, grownMm: 2.6 })
    expect(grown).toBeGreaterThan(400 + 4 * side * 1.2)
    expect(grown).toBeLessThan(400 + 4 * side * 2.7)
    const shrunk = area(box, { kind: 'patch', seeds: at, angleDeg: 30, grownMm: -2.6 })
    expect(shrunk).toBeGreaterThan((side - 8) ** 2)
    expect(shrunk).toBeLessThan((side - 2.6) ** 2)
  })
  test('what lies near many places is as large as the discs round them, and never the other side', () => {
    const discs = area(box, { kind: 'near', places: [5, 5, top, 15, 15, top], reachMm: 3 })
    expect(Math.abs(discs / (2 * Math.PI * 9) - 1)).toBeLessThan(0.15)
    expect(area(box, { kind: 'near', places: [90, 90, 90], reachMm: 3 })).toBe(0)
  })
  test('a part is all that hangs together; evidence picks by how it came to be, and says where none is known', () => {
    const two = merged(box, shifted(cube(2), 60))
    expect(area(two, { kind: 'part', seeds: [[61, 1, 1]] })).toBeCloseTo(24, 3)
    const evidence = new Uint8Array(box.positions.length / 3)
    for (let v = 0; v < evidence.length; v++) if (box.positions[v * 3 + 2] === top) evidence[v] = 2
    const told = area({ ...box, evidence }, { kind: 'evidence', of: 'invented' })
    expect(told).toBeGreaterThan(400)
    expect(told).toBeLessThan(520)
    expect(() => area(box, { kind: 'evidence', of: 'carried' })).toThrow('holds no evidence')
  })
})
