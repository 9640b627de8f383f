import { Triangle, Vector3 } from 'three'
import { describe, expect, test } from 'vitest'
import { boxPoints, icosahedron, spherePoints, torus } from '../testing/solids'
import { CellIndex, radixOrder } from './cell-index'
import { KdTree } from './kd-tree'
import { forEachNeighbourhood } from './neighbourhoods'
import { chunksOf } from './chunks'
import { pickFace, pickPoint } from './pick'
import { seededRandom } from '../linear/random'
import { TriangleBvh } from './triangle-bvh'
import { UnionFind } from './union-find'

/** Brute force: the reference every fast search must agree with. */
function bruteNearest(p: Float32Array, x: number, y: number, z: number): number[] {
  return Array.from(
    { length: p.length / 3 },
    (_, i) => (p[i * 3] - x) ** 2 + (p[i * 3 + 1] - y) ** 2 + (p[i * 3 + 2] - z) ** 2,
  )
}

const clouds: [string, Float32Array][] = [
  ['box', boxPoints(1500, [10, 20, 5], 1)],
  ['sphere', spherePoints(30, 1500, 0.1).positions],
  ['line', Float32Array.from({ length: 900 }, (_, i) => (i % 3 === 0 ? i : 0))],
  ['coincident', new Float32Array(300)],
  ['cluster and strays', Float32Array.from([...boxPoints(400, [1, 1, 1], 4), 100, 0, 0, 0, 200, 0, -300, 0, 0])],
]

describe.each(clouds)('kd-tree on %s', (_name, points) => {
  const tree = new KdTree(points)
  const queries = boxPoints(40, [40, 40, 40], 77)
  test('nearest, nearest two and k nearest agree with brute force', () => {
    const ids = new Int32Array(7)
    const d2 = new Float64Array(7)
    for (let q = 0; q < queries.length; q += 3) {
      const [x, y, z] = [queries[q], queries[q + 1], queries[q + 2]]
      const all = bruteNearest(points, x, y, z).sort((a, b) => a - b)
      tree.nearest(x, y, z)
      expect(tree.lastDistance2).toBeCloseTo(all[0], 6)
      const found = tree.nearestTwo(x, y, z)
      expect(bruteNearest(points, x, y, z)[found]).toBeCloseTo(all[0], 6)
      expect(tree.secondDistance2).toBeCloseTo(all[1], 6)
      const n = tree.knn(x, y, z, 7, ids, d2)
      expect(n).toBe(7)
      for (let k = 0; k < 7; k++) expect(d2[k]).toBeCloseTo(all[k], 6)
      expect(new Set(ids).size).toBe(7)
    }
  })
  test('a bound keeps farther points out', () => {
    expect(tree.nearest(1e4, 1e4, 1e4, 1)).toBe(-1)
    expect(tree.nearestTwo(1e4, 1e4, 1e4, 1)).toBe(-1)
    expect(tree.knn(1e4, 1e4, 1e4, 3, new Int32Array(3), new Float64Array(3), 1)).toBe(0)
  })
})

test('an empty tree finds nothing, and broken triples are refused', () => {
  expect(new KdTree(new Float32Array(0)).nearest(0, 0, 0)).toBe(-1)
  expect(() => new KdTree(new Float32Array(4))).toThrow('x y z triples')
})

describe.each(clouds)('neighbourhoods of %s', (_name, points) => {
  test.each([true, false])('are those of brute force (sorted %s), each point once', (sorted) => {
    const seen = new Uint8Array(points.length / 3)
    forEachNeighbourhood(
      points,
      9,
      sorted,
      (i, ids, d2, found) => {
        seen[i]++
        if (i % 17 !== 0) return
        const all = bruteNearest(points, points[i * 3], points[i * 3 + 1], points[i * 3 + 2])
        const best = [...all].sort((a, b) => a - b).slice(0, 9)
        expect(found).toBe(9)
        const given = Array.from(d2.subarray(0, 9))
        if (!sorted) given.sort((a, b) => a - b)
        best.forEach((d, k) => expect(given[k]).toBeCloseTo(d, 6))
        for (let k = 0; k < 9; k++) expect(all[ids[k]]).toBeCloseTo(d2[k], 6)
      },
      () => undefined,
    )
    expect(seen.every((s) => s === 1)).toBe(true)
  })
})

test('with fewer points than asked for, all are given', () => {
  const p = boxPoints(4, [1, 1, 1])
  const counts: number[] = []
  forEachNeighbourhood(
    p,
    9,
    true,
    (_i, _ids, _d2, found) => counts.push(found),
    () => undefined,
  )
  expect(counts).toEqual([4, 4, 4, 4])
})

test('cells hold every point once, in the cube it lies in', () => {
  const p = boxPoints(3000, [100, 100, 100], 3)
  const cells = new CellIndex(p, 7)
  expect([...cells.items].sort((a, b) => a - b)).toEqual(Array.from({ length: 3000 }, (_, i) => i))
  for (let c = 0; c < cells.count; c++) {
    expect(cells.find(cells.x[c], cells.y[c], cells.z[c])).toBe(c)
    for (let s = cells.start[c]; s < cells.start[c + 1]; s++) {
      const i = cells.items[s] * 3
      expect([Math.floor(p[i] / 7), Math.floor(p[i + 1] / 7), Math.floor(p[i + 2] / 7)]).toEqual([
        cells.x[c],
        cells.y[c],
        cells.z[c],
      ])
    }
  }
  expect(cells.find(1000, 0, 0)).toBe(-1)
})

test('radix order sorts and is stable', () => {
  const codes = Uint32Array.of(5, 3, 5, 1 << 29, 0, 3)
  expect(Array.from(radixOrder(codes))).toEqual([4, 1, 5, 0, 2, 3])
})

describe('triangle boxes', () => {
  const mesh = torus(20, 6, 40, 20)
  const bvh = new TriangleBvh(mesh)
  // Reference: Triangle.closestPointToPoint of three.js (npm: three), a general-purpose library, over every face.
  test('closest point agrees with a general-purpose library’s, face by face', () => {
    const q = boxPoints(60, [60, 60, 30], 9)
    const at = (v: number): Vector3 => new Vector3().fromArray(mesh.positions, v * 3)
    const faces = Array.from(
      { length: mesh.indices.length / 3 },
      (_, f) => new Triangle(...([0, 1, 2].map((k) => at(mesh.indices[f * 3 + k])) as [Vector3, Vector3, Vector3])),
    )
    const found = new Vector3()
    for (let i = 0; i < q.length; i += 3) {
      expect(bvh.closest(q[i], q[i + 1], q[i + 2])).toBe(true)
      const from = new Vector3(q[i], q[i + 1], q[i + 2])
      const best = Math.min(...faces.map((f) => f.closestPointToPoint(from, found).distanceToSquared(from)))
      expect(bvh.result.distance2).toBeCloseTo(best, 6)
      const { u, v, w } = bvh.result
      expect(u + v + w).toBeCloseTo(1, 9)
    }
  })
  test('closest within a bound', () => {
    expect(bvh.closest(100, 0, 0, 1)).toBe(false)
  })
  test('pairs with meeting boxes are found once each', () => {
    const own = icosahedron()
    const pairs = new Set<string>()
    new TriangleBvh(own).overlappingPairs(
      (f, g) => {
        const key = f < g ? `${f},${g}` : `${g},${f}`
        expect(pairs.has(key)).toBe(false)
        pairs.add(key)
        return true
      },
      () => undefined,
    )
    const box = (f: number) =>
      [0, 1, 2]
        .map((a) => [0, 1, 2].map((c) => own.positions[own.indices[f * 3 + c] * 3 + a]))
        .map((v) => [Math.min(...v), Math.max(...v)] as const)
    let expected = 0
    for (let f = 0; f < 20; f++)
      for (let g = f + 1; g < 20; g++)
        if (box(f).every(([low, high], a) => low <= box(g)[a][1] && high >= box(g)[a][0])) expected++
    expect(pairs.size).toBe(expected)
  })
})

test('disjoint sets: labels in order of first appearance', () => {
  const sets = new UnionFind(6)
  sets.union(4, 1)
  sets.union(1, 5)
  sets.union(2, 3)
  expect(sets.labels()).toEqual({ label: Int32Array.of(0, 1, 2, 2, 1, 1), sizes: [1, 3, 2] })
})

describe('picking', () => {
  const sheet = (z: number): number[] =>
    Array.from({ length: 41 * 41 }, (_, i) => [(i % 41) - 20, Math.floor(i / 41) - 20, z]).flat()
  test('the front layer is hit, at the point closest to the ray', () => {
    const p = Float32Array.from([...sheet(0), ...sheet(-30)])
    expect(pickPoint(p, [3.2, -4.1, 50], [0, 0, -1], 1.5)?.at).toEqual([3, -4, 0])
  })
  test('through a hole in the front layer, what shows behind is meant', () => {
    const front = sheet(0).reduce<number[]>(
      (out, v, i, a) => (i % 3 === 2 && Math.hypot(a[i - 2], a[i - 1]) > 2.5 ? [...out, a[i - 2], a[i - 1], v] : out),
      [],
    )
    expect(pickPoint(Float32Array.from([...front, ...sheet(-30)]), [0.1, 0, 50], [0, 0, -1], 3)?.at).toEqual([
      0, 0, -30,
    ])
  })
  test('on a steep slope the point under the click is taken, not one nearer to the eye', () => {
    const slope = Float32Array.from({ length: 201 * 3 }, (_, i) =>
      i % 3 === 0 ? (Math.floor(i / 3) - 100) * 0.05 : i % 3 === 1 ? 0 : (Math.floor(i / 3) - 100) * 0.4,
    )
    const hit = pickPoint(slope, [1.01, 0, 100], [0, 0, -1], 2)!
    expect(Math.abs(hit.at[0] - 1)).toBeLessThan(0.03)
  })
  test('nothing under the click', () => {
    expect(pickPoint(Float32Array.of(0, 0, 0), [9, 0, 5], [0, 0, -1], 1)).toBeNull()
  })
  test('through boxes over stretches the same point as one by one, from any side', () => {
    const random = seededRandom(7)
    const p = Float32Array.from({ length: 30_000 }, () => 40 * random.gaussian())
    const chunks = chunksOf(p, 128)
    let met = 0
    for (let k = 0; k < 60; k++) {
      const at = [0, 1, 2].map(() => 30 * random.gaussian()),
        eye = [0, 1, 2].map(() => 300 * random.gaussian())
      const d = k < 6 ? [0, 1, 2].map((c) => (c === k % 3 ? (k < 3 ? 1 : -1) : 0)) : at.map((v, c) => v - eye[c]),
        l = Math.hypot(...d)
      const origin = k < 6 ? at.map((v, c) => v - 400 * d[c]) : eye
      const one = pickPoint(
        p,
        origin,
        d.map((v) => v / l),
        2,
      )
      expect(
        pickPoint(
          p,
          origin,
          d.map((v) => v / l),
          2,
          chunks,
        ),
      ).toEqual(one)
      if (one) met++
    }
    expect(met).toBeGreaterThan(30)
  })
  test('a face is hit where the ray first meets the surface', () => {
    const m = new TriangleBvh(torus(20, 5, 200, 100))
    const hit = pickFace(m, [20, 0, 50], [0, 0, -1])!
    expect(hit.at[2]).toBeCloseTo(5, 2)
    expect(hit.distanceMm).toBeCloseTo(45, 2)
    expect(pickFace(m, [0, 0, 50], [0, 0, -1])).toBeNull()
  })
})
