import { describe, expect, test } from 'vitest'
import { quietContext } from '../context'
import { cutByPlane } from '../mesh/cut-plane'
import { checkHealth } from '../mesh/health'
import { vertexNormals } from '../mesh/normals'
import { dropUnusedVertices } from '../mesh/weld'
import { EVIDENCE, type TriangleMesh } from '../shapes'
import { ballMesh } from '../testing/altered'
import { torus, withoutFaces } from '../testing/solids'
import { overlapPlane } from './overlap-plane'
import { splice } from './splice'

const context = () => quietContext()
const ball = (radius: number): TriangleMesh => ballMesh(radius, 5)
const withEvidence = (mesh: TriangleMesh): TriangleMesh => ({
  ...mesh,
  evidence: new Uint8Array(mesh.positions.length / 3),
})
const across = { normal: [0, 0, 1], offsetMm: 1.3, bandMm: 5 } as const

describe('two surfaces made one along a plane', () => {
  test('two balls of almost one size go over into each other: closed, nothing crosses, no step is left', () => {
    const [large, small] = [withEvidence(ball(20.2)), withEvidence(ball(20))]
    const { mesh, stepBeforeMm, stepMm, overlap, rims, mostMm } = splice(large, small, across, context())
    const health = checkHealth(mesh, context())
    expect(health.closed).toBe(true)
    expect(health.crossings).toBe(0)
    expect(health.genus).toBe(0)
    expect(rims).toBe(1)
    expect(overlap).toBe(1)
    expect(stepBeforeMm).toBeGreaterThan(0.19)
    expect(stepBeforeMm).toBeLessThan(0.21)
    // What is left is how a chord of the ball bends, not a step: under the tenth of it.
    expect(stepMm).toBeLessThan(0.02)
    expect(mostMm).toBeLessThan(0.105)
    // The radius goes from the one's to the other's without a jump, and normals stay the ball's.
    const normals = vertexNormals(mesh)
    for (let v = 0; v < mesh.positions.length; v += 3) {
      const [x, y, z] = mesh.positions.subarray(v, v + 3)
      const r = Math.hypot(x, y, z)
      const t = Math.max(0, Math.min(1, (z - 1.3 + 5) / 10))
      expect(r).toBeGreaterThan(20 + 0.2 * t * t * (3 - 2 * t) - 0.04)
      expect(r).toBeLessThan(20 + 0.2 * t * t * (3 - 2 * t) + 0.04)
      expect((normals[v] * x + normals[v + 1] * y + normals[v + 2] * z) / r).toBeGreaterThan(0.995)
    }
    expect(new Set(mesh.evidence)).toEqual(new Set([EVIDENCE.measured, EVIDENCE.carried]))
  })
  test('outside the band no point moves', () => {
    const [large, small] = [ball(20.2), ball(20)]
    const { mesh } = splice(large, small, across, context())
    const places = new Set<string>()
    for (let v = 0; v < mesh.positions.length; v += 3) places.add(mesh.positions.subarray(v, v + 3).join())
    for (const [from, side] of [
      [large, 1],
      [small, -1],
    ] as const)
      for (let v = 0; v < from.positions.length; v += 3)
        if (side * (from.positions[v + 2] - 1.3) > 5.01)
          expect(places.has(from.positions.subarray(v, v + 3).join())).toBe(true)
  })
  test('a torus cut in two and spliced again has its volume, its handle and no crossing (Pappus: 2π²Rr²)', () => {
    const whole = torus(20, 6, 160, 60)
    const plane = { normal: [1, 0, 0], offsetMm: 0.4 }
    const parts = [1, -1].map(
      (side) => cutByPlane(whole, { normal: [side, 0, 0], offsetMm: side * 0.4 - 8 }, false, context()).mesh,
    )
    const { mesh, rims } = splice(parts[0], parts[1], { ...plane, bandMm: 4 }, context())
    const health = checkHealth(mesh, context())
    expect(rims).toBe(2)
    expect(health.closed).toBe(true)
    expect(health.crossings).toBe(0)
    expect(health.genus).toBe(1)
    expect(Math.abs(health.volumeMm3 / checkHealth(whole, context()).volumeMm3 - 1)).toBeLessThan(5e-4)
    expect(Math.abs(health.volumeMm3 / (2 * Math.PI ** 2 * 20 * 36) - 1)).toBeLessThan(0.01)
  })
  test.each([
    ['they do not lie on each other there', ball(20), ball(12), across, 'The two lie on each other along 0 %'],
    ['the plane misses one', ball(20), ball(5), { ...across, offsetMm: 12 }, 'The plane lies below the whole mesh'],
    ['the band is finer than the triangles', ball(20), ball(20), { ...across, bandMm: 0.01 }, 'The band must be wider'],
    [
      'they are cut into different rims',
      torus(20, 6, 80, 30),
      ball(20),
      { normal: [1, 0, 0], offsetMm: 0.2, bandMm: 4 },
      'along 2 rims and the second along 1',
    ],
  ])('refused in a sentence: %s', (_, first, second, options, why) => {
    expect(() => splice(first, second, options, context())).toThrow(why)
  })
  test('where they overlap tells the plane: two open balls, and a splice along it', () => {
    const cut = (mesh: TriangleMesh, z: number, side: 1 | -1): TriangleMesh =>
      dropUnusedVertices(cutByPlane(mesh, { normal: [0, 0, side], offsetMm: side * z }, false, context()).mesh)
    // The upper ends at −3, the lower at 7: half way is 2.
    const [upper, lower] = [cut(ball(20), -3, 1), cut(ball(20.1), 7, -1)]
    const { normal, offsetMm } = overlapPlane(upper, lower)
    expect(normal[2]).toBeGreaterThan(0.999)
    expect(Math.abs(offsetMm - 2)).toBeLessThan(0.3)
    const { mesh, stepMm } = splice(upper, lower, { normal, offsetMm, bandMm: 4 }, context())
    expect(checkHealth(mesh, context())).toMatchObject({ closed: true, crossings: 0, genus: 0 })
    expect(stepMm).toBeLessThan(0.02)
    expect(() => overlapPlane(ball(20), lower)).toThrow('The first has no rim')
    expect(() => overlapPlane(cut(ball(20), 8, 1), lower)).toThrow('hardly overlap')
  })
  test('a hole elsewhere stays as it is', () => {
    // The first face of the solid lies at its upper end.
    const holed = withoutFaces(ball(20), [0])
    const at = holed.indices.length
    const { mesh } = splice(holed, ball(20.1), { normal: [0, 0, 1], offsetMm: -9, bandMm: 3 }, context())
    const { loops } = checkHealth(mesh, context())
    expect(at).toBe(ball(20).indices.length - 3)
    expect(loops).toHaveLength(1)
    expect(loops[0].vertices).toHaveLength(3)
  })
})
