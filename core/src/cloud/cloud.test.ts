import { describe, expect, test } from 'vitest'
import { quietContext } from '../context'
import { seededRandom } from '../linear/random'
import { indicesWhere, pickPoints, type PointCloud } from '../shapes'
import { boxPoints, spherePoints } from '../testing/solids'
import { connectedComponents } from './components'
import { estimateFeatures } from './normals'
import { judgeTable } from '../tidy/table'
import { findDominantPlane, maskAbovePlane, ransacTrials } from './plane'
import { statisticalInliers } from './outliers'
import { medianSpacing } from './spacing'
import { estimateFeaturesSparsely } from './sparse-features'
import { thinEvenly } from './thin'

const context = () => quietContext(4)
const cloud = (positions: ArrayLike<number>): PointCloud => ({ kind: 'cloud', positions: Float32Array.from(positions) })
const dotShare = (a: Float32Array, b: Float32Array): number[] =>
  Array.from(
    { length: a.length / 3 },
    (_, i) => a[i * 3] * b[i * 3] + a[i * 3 + 1] * b[i * 3 + 1] + a[i * 3 + 2] * b[i * 3 + 2],
  )

/** A hemisphere of 20 mm standing on a table of 80 × 80 mm, seeded noise; the first `table` points are the table. */
function pieceOnTable(noise = 0.05): { points: PointCloud; table: number } {
  const r = seededRandom(8)
  const positions: number[] = []
  for (let i = 0; i < 4000; i++) {
    const x = (r.next() - 0.5) * 80,
      y = (r.next() - 0.5) * 80
    if (Math.hypot(x, y) > 21) positions.push(x, y, noise * r.gaussian())
  }
  const table = positions.length / 3
  for (let i = 0; i < 3000; i++) {
    const z = r.next(),
      a = 2 * Math.PI * r.next(),
      s = Math.sqrt(1 - z * z)
    positions.push(20 * s * Math.cos(a), 20 * s * Math.sin(a), 1.5 + 20 * z)
  }
  return { points: cloud(positions), table }
}

// Read at a sample, a normal may be off by what the sphere turns within a cell of about four points.
describe.each([
  ['every point', estimateFeatures, 3],
  ['a sample', estimateFeaturesSparsely, 9],
] as const)('surface read at %s', (_name, estimate, degrees) => {
  const least = Math.cos((degrees * Math.PI) / 180)
  test('normals of a sphere: within a few degrees (closed form), outward when carried along from the topmost point', () => {
    const { positions, normals } = spherePoints(30, 6000)
    const f = estimate(cloud(positions), context())
    const cosines = dotShare(f.normals, normals!)
    expect(Math.min(...cosines)).toBeGreaterThan(least)
  })
  // Closed forms: a plane's normal is the same all over, a cylinder's points from its axis, a torus's from the circle
  // in its tube.
  test.each([
    ['plane', (u: number, v: number) => [60 * u, 60 * v, 0.3 * 60 * u], () => [-0.3, 0, 1]],
    [
      'cylinder',
      (u: number, v: number) => [20 * Math.cos(2 * Math.PI * u), 20 * Math.sin(2 * Math.PI * u), 60 * v],
      (p: readonly number[]) => [p[0], p[1], 0],
    ],
    [
      'torus',
      (u: number, v: number) => [
        (30 + 10 * Math.cos(2 * Math.PI * v)) * Math.cos(2 * Math.PI * u),
        (30 + 10 * Math.cos(2 * Math.PI * v)) * Math.sin(2 * Math.PI * u),
        10 * Math.sin(2 * Math.PI * v),
      ],
      (p: readonly number[]) => {
        const s = 1 - 30 / Math.hypot(p[0], p[1])
        return [p[0] * s, p[1] * s, p[2]]
      },
    ],
  ] as const)('normals of a %s off its rims', (name, at, truth) => {
    const r = seededRandom(6)
    const p = Float32Array.from(Array.from({ length: 20_000 }, () => at(r.next(), r.next())).flat())
    const { normals, boundary } = estimateFeatures(cloud(p), context())
    let worst = 1,
      seen = 0
    for (let i = 0; i < p.length / 3; i++) {
      if (boundary[i] === 1) continue
      if (name === 'cylinder' && Math.abs(p[i * 3 + 2] - 30) > 27) continue
      const n = truth(Array.from(p.subarray(i * 3, i * 3 + 3)))
      const l = Math.hypot(...n)
      worst = Math.min(worst, Math.abs(n.reduce((s, x, c) => s + (x / l) * normals[i * 3 + c], 0)))
      seen++
    }
    expect(seen).toBeGreaterThan(15_000)
    expect((Math.acos(Math.min(1, worst)) * 180) / Math.PI).toBeLessThan(
      name === 'torus' ? 6 : name === 'plane' ? 0.05 : 2,
    )
  })
  test('scatter is that of the noise, spacing that of the lattice', () => {
    const sigma = 0.1
    const n = 20_000
    const f = estimate(spherePoints(50, n, sigma), context())
    expect(f.noiseMm / sigma).toBeGreaterThan(0.85)
    expect(f.noiseMm / sigma).toBeLessThan(1.15)
    const lattice = Math.sqrt((4 * Math.PI * 50 ** 2) / n)
    expect(f.spacingMm / lattice).toBeGreaterThan(0.6)
    expect(f.spacingMm / lattice).toBeLessThan(1.1)
  })
  test('orientation follows the frames where they are known', () => {
    const { positions, normals } = spherePoints(30, 3000)
    const inside: PointCloud = {
      kind: 'cloud',
      positions,
      frame: new Uint16Array(3000),
      frameOrigins: Float64Array.of(0, 0, 0),
    }
    const cosines = dotShare(estimate(inside, context()).normals, normals!)
    expect(Math.max(...cosines)).toBeLessThan(-least)
  })
  test('orientation follows normals that are given', () => {
    const ball = spherePoints(30, 3000)
    const turned = { ...ball, normals: ball.normals!.map((v) => -v) }
    expect(Math.max(...dotShare(estimate(turned, context()).normals, ball.normals!))).toBeLessThan(-least)
  })
  test('the rim of a half sphere is marked, its inside is not', () => {
    const ball = spherePoints(30, 8000)
    const half = pickPoints(
      ball,
      indicesWhere(
        Uint8Array.from({ length: 8000 }, (_, i) => (ball.positions[i * 3 + 2] > 0 ? 1 : 0)),
        1,
      ),
    )
    const { boundary } = estimate(half, context())
    const share = (low: number, high: number): number => {
      let hits = 0,
        all = 0
      boundary.forEach((b, i) => {
        const z = half.positions[i * 3 + 2]
        if (z < low || z >= high) return
        all++
        hits += b
      })
      return hits / all
    }
    expect(share(0, 0.3)).toBeGreaterThan(0.6)
    expect(share(4, 31)).toBeLessThan(0.02)
  })
  test('the same input gives the same bytes', () => {
    const c = cloud(boxPoints(900, [10, 10, 1]))
    expect(estimate(c, context()).normals).toEqual(estimate(c, context()).normals)
  })
  test('a handful of points does not break it', () => {
    const f = estimate(cloud([0, 0, 0, 1, 0, 0, 0, 1, 0]), context())
    expect(f.normals.every(Number.isFinite)).toBe(true)
  })
})

describe('the table', () => {
  // Fischler and Bolles 1981, CACM 24(6): with w = 0.5 and n = 3 about 35 trials give 0.99.
  // Fischler and Bolles 1981; the trials for p = 0.99 as Hartley and Zisserman print them (Multiple View Geometry,
  // table 4.3), from memory.
  test.each([
    [2, [2, 3, 5, 6, 7, 11, 17]],
    [3, [3, 4, 7, 9, 11, 19, 35]],
    [4, [3, 5, 9, 13, 17, 34, 72]],
  ])('number of trials for samples of %i', (size, trials) => {
    expect([0.05, 0.1, 0.2, 0.25, 0.3, 0.4, 0.5].map((outliers) => ransacTrials(1 - outliers, size, 0.99))).toEqual(
      trials,
    )
    expect(ransacTrials(1, size, 0.99)).toBe(1)
    expect(ransacTrials(0, size, 0.99)).toBe(Infinity)
  })
  test('is found within its noise, faces the piece, and only it is cut', () => {
    const { points, table } = pieceOnTable()
    const plane = findDominantPlane(points, context(), { bandMm: 0.5 })
    expect(plane.normal[2]).toBeGreaterThan(0.99999)
    expect(Math.abs(plane.offsetMm)).toBeLessThan(0.01)
    expect(plane.rmsMm).toBeGreaterThan(0.04)
    expect(plane.rmsMm).toBeLessThan(0.06)
    expect(judgeTable(points, plane, 0.5)).toMatchObject({ isTable: true })
    const mask = maskAbovePlane(points, plane, 0.6)
    expect(mask.subarray(0, table).every((m) => m === 0)).toBe(true)
    expect(mask.subarray(table).every((m) => m === 1)).toBe(true)
  })
  test('a flat side of the piece is no table: the faces of a box', () => {
    const r = seededRandom(5)
    const p = Array.from({ length: 6000 }, () => {
      const at = [r.next() * 60, r.next() * 60, r.next() * 20]
      const side = r.next() < 0.7 ? 2 : r.integer(2)
      at[side] = r.next() < 0.5 && side !== 2 ? 0 : [60, 60, 20][side]
      return at
    }).flat()
    const points = cloud(p)
    const plane = findDominantPlane(points, context(), { bandMm: 0.3 })
    expect(Math.abs(plane.normal[2])).toBeGreaterThan(0.999)
    expect(judgeTable(points, plane, 0.3).isTable).toBe(false)
  })
  test('points without any plane, or too few of them, are refused', () => {
    expect(() => findDominantPlane(cloud(boxPoints(5000, [100, 100, 100])), context(), { bandMm: 0.05 })).toThrow(
      'No table was found',
    )
    expect(() => findDominantPlane(cloud([0, 0, 0]), context(), { bandMm: 1 })).toThrow(
      'A plane needs three points; there is 1',
    )
    expect(() => findDominantPlane(cloud(boxPoints(9, [1, 1, 1])), context(), { bandMm: 0 })).toThrow(
      'larger than 0 mm',
    )
  })
})

describe('parts and strays', () => {
  test('chains of steps join, gaps part; the answer is that of brute force', () => {
    const p = boxPoints(400, [30, 30, 30], 6)
    const { label, sizes } = connectedComponents(cloud(p), 3, context())
    const own = new Int32Array(400).fill(-1)
    let parts = 0
    for (let s = 0; s < 400; s++) {
      if (own[s] >= 0) continue
      const todo = [s]
      own[s] = parts
      while (todo.length > 0) {
        const i = todo.pop()!
        for (let j = 0; j < 400; j++) {
          if (
            own[j] >= 0 ||
            Math.hypot(p[i * 3] - p[j * 3], p[i * 3 + 1] - p[j * 3 + 1], p[i * 3 + 2] - p[j * 3 + 2]) > 3
          )
            continue
          own[j] = parts
          todo.push(j)
        }
      }
      parts++
    }
    expect(sizes.length).toBe(parts)
    expect(label).toEqual(own)
  })
  test('outliers: far points go, the others stay', () => {
    const ball = spherePoints(20, 2000)
    const p = Float32Array.from([...ball.positions, 0, 0, 0, 40, 0, 0])
    const keep = statisticalInliers(cloud(p), 20, 3, context())
    expect(Array.from(keep.subarray(2000))).toEqual([0, 0])
    expect(keep.subarray(0, 2000).reduce((a, b) => a + b)).toBe(2000)
  })
  test('a gap of nothing is refused; cancelling stops', () => {
    expect(() => connectedComponents(cloud([0, 0, 0]), 0, context())).toThrow('larger than 0 mm, not 0')
    expect(() =>
      connectedComponents(cloud(boxPoints(9000, [9, 9, 9])), 1, { ...context(), cancelled: () => true }),
    ).toThrow('Stopped at your request')
  })
})

test('even thinning leaves one real point a cube, the one nearest its middle', () => {
  const p = boxPoints(5000, [20, 20, 20], 2)
  const kept = thinEvenly(cloud(p), 2)
  const cube = (i: number) => [0, 1, 2].map((c) => Math.floor(p[i * 3 + c] / 2)).join()
  expect(new Set(Array.from(kept, cube)).size).toBe(kept.length)
  expect(kept.length).toBe(new Set(Array.from({ length: 5000 }, (_, i) => cube(i))).size)
  expect(() => thinEvenly(cloud(p), -1)).toThrow('larger than 0 mm, not -1')
})

test('median spacing of a lattice', () => {
  const p = Array.from({ length: 60 * 60 }, (_, i) => [(i % 60) * 0.5, Math.floor(i / 60) * 0.5, 0]).flat()
  expect(medianSpacing(cloud(p))).toBeCloseTo(0.5, 5)
})
