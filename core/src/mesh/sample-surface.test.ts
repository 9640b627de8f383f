import { describe, expect, test } from 'vitest'
import { nightTest } from '../testing/night'
import { quietContext } from '../context'
import { OIL_LAMP } from '../bench/pieces'
import { polygonise } from '../bench/polygonise'
import { makeSkin } from '../fuse/skin'
import { identityMotion } from '../linear/rigid'
import { compareShapes } from '../measure/compare'
import type { TriangleMesh } from '../shapes'
import { KdTree } from '../spatial/kd-tree'
import { cube, withoutFaces } from '../testing/solids'
import { sampleSurface, samplingSpacing } from './sample-surface'
import { simplifyMesh } from '../simplify/simplify'

/** Distance of each point to the one nearest to it. */
function nearest(p: Float32Array): number[] {
  const tree = new KdTree(p)
  const ids = new Int32Array(2),
    d2 = new Float64Array(2)
  return Array.from({ length: p.length / 3 }, (_, i) => {
    tree.knn(p[i * 3], p[i * 3 + 1], p[i * 3 + 2], 2, ids, d2)
    return Math.sqrt(Math.max(...d2))
  })
}

describe('a mesh as points', () => {
  test('as many as its area asks for, none nearer than 0.745 spacings, spread alike over large and small faces', () => {
    const { positions } = sampleSurface(cube(30), 0.5)
    const wanted = (6 * 30 * 30) / 0.25
    expect(positions.length / 3 / wanted).toBeGreaterThan(0.9)
    expect(positions.length / 3 / wanted).toBeLessThan(1.1)
    const apart = nearest(positions)
    expect(Math.min(...apart.slice(0, 5000))).toBeGreaterThan(0.745 * 0.5 - 1e-5)
    expect(apart.filter((d) => d > 0.5 * 1.3).length / apart.length).toBeLessThan(0.01)
    const onTop = Array.from(positions).filter((v, i) => i % 3 === 2 && v > 30 - 1e-4).length
    expect(onTop / (positions.length / 3)).toBeCloseTo(1 / 6, 1)
  })
  test('at sharp edges normals are the faces’, on a smooth surface they turn with it', () => {
    const box = sampleSurface(cube(10), 0.5).normals!
    for (let i = 0; i < box.length; i += 3)
      expect(Math.max(...Array.from(box.subarray(i, i + 3), Math.abs))).toBeCloseTo(1, 5)
    // A ball of even triangles: the mixed normals point from its middle nearly everywhere.
    const ball = polygonise(
      (x, y, z) => Math.hypot(x, y, z) - 10,
      { min: [-11, -11, -11], max: [11, 11, 11] },
      1,
      quietContext(1),
    )
    const { positions, normals } = sampleSurface(ball, 0.5)
    const off: number[] = []
    for (let i = 0; i < positions.length; i += 3) {
      const l = Math.hypot(positions[i], positions[i + 1], positions[i + 2])
      const dot = [0, 1, 2].reduce((s, c) => s + (positions[i + c] / l) * normals![i + c], 0)
      off.push((Math.acos(Math.min(1, dot)) * 180) / Math.PI)
    }
    expect(off.reduce((m, v) => m + v, 0) / off.length).toBeLessThan(1.5)
  })
  test('colours lie between those of the corners; open edges are sampled along themselves', () => {
    const mesh: TriangleMesh = {
      kind: 'mesh',
      positions: Float32Array.of(0, 0, 0, 20, 0, 0, 0, 20, 0),
      indices: Uint32Array.of(0, 1, 2),
      colours: Uint8Array.of(0, 0, 0, 200, 0, 0, 0, 0, 100),
    }
    const { positions, colours } = sampleSurface(mesh, 0.5)
    for (let i = 0; i < positions.length; i += 3) {
      expect(colours![i]).toBeCloseTo(10 * positions[i], -1)
      expect(colours![i + 2]).toBeCloseTo(5 * positions[i + 1], -1)
    }
    const rim = Array.from({ length: positions.length / 3 }, (_, i) => i).filter((i) => positions[i * 3 + 1] === 0)
    expect(rim.length).toBeGreaterThanOrEqual(40)
    // A box without its floor: the four edges of it are open, and hold a point every spacing.
    const box = sampleSurface(withoutFaces(cube(10), [0, 1]), 0.5).positions
    const onRim = Array.from({ length: box.length / 3 }, (_, i) => i).filter((i) => {
      const [x, y, z] = box.subarray(i * 3, i * 3 + 3)
      return z === 0 && [x, y].some((v) => v === 0 || v === 10)
    })
    expect(onRim.length).toBeGreaterThanOrEqual(4 * 19)
  })
  test('the same mesh gives the same points; what has no sense is refused', () => {
    expect(sampleSurface(cube(5), 0.4)).toEqual(sampleSurface(cube(5), 0.4))
    expect(() => sampleSurface(cube(5), 0)).toThrow('larger than 0 mm')
    expect(() => sampleSurface(cube(500), 0.01)).toThrow('is the finest')
    expect(() => sampleSurface({ ...cube(1), positions: new Float32Array(24) }, 1)).toThrow('no area')
  })
  nightTest(
    'the lamp’s true mesh simplified within 0.1 mm, taken as points, makes a skin at 0.8 mm with p95 ≤ 0.12 mm, max ≤ 0.4 mm',
    async () => {
      const context = quietContext(1)
      const truth = polygonise(OIL_LAMP.field, OIL_LAMP.bounds, 0.7, context)
      const { mesh } = simplifyMesh(truth, { deviationMm: 0.1 })
      expect(mesh.indices.length).toBeLessThan(truth.indices.length / 4)
      const cloud = sampleSurface(mesh, samplingSpacing(mesh))
      // Each of two takes has its half of it, and some more.
      const half = (keeps: (x: number) => boolean) => {
        const ids = Array.from({ length: cloud.positions.length / 3 }, (_, i) => i).filter((i) =>
          keeps(cloud.positions[i * 3]),
        )
        const of = (a: Float32Array): Float32Array =>
          Float32Array.from(ids.flatMap((i) => [a[i * 3], a[i * 3 + 1], a[i * 3 + 2]]))
        return { kind: 'cloud' as const, positions: of(cloud.positions), normals: of(cloud.normals!) }
      }
      const takes = [half((x) => x < 8), half((x) => x > -8)].map((c) => ({ cloud: c, motion: identityMotion() }))
      const skin = makeSkin(takes, { spacingMm: 0.8 }, context).mesh
      const { p95Mm, maxMm } = compareShapes(skin, truth, context)
      expect(p95Mm).toBeLessThanOrEqual(0.12)
      expect(maxMm).toBeLessThanOrEqual(0.4)
    },
    120_000,
  )
})
