import { describe, expect, test } from 'vitest'
import { quietContext } from '../context'
import { seededRandom } from '../linear/random'
import { SkylineFactor } from '../linear/skyline'
import { checkHealth } from '../mesh/health'
import { rimsOfMesh } from '../mesh/rims'
import type { TriangleMesh } from '../shapes'
import { cube, torus, withoutFaces } from '../testing/solids'
import { ballMesh, facesWhere, merged } from '../testing/altered'
import { bridgeHoles } from './bridge-holes'
import { fillHoles } from './fill-holes'
import { joinRings } from './join-rings'
import { triangulateRing } from './triangulate-ring'

const context = () => quietContext()
const health = (m: TriangleMesh) => checkHealth(m, context())
const ALL = { perimeterMm: Infinity }

describe('a cap of a ball cut off', () => {
  const r = 20,
    h = 6
  const whole = ballMesh(r, 5)
  const open = withoutFaces(
    whole,
    facesWhere(whole, (_x, _y, z) => z > r - h),
  )
  const sphere = (4 / 3) * Math.PI * r ** 3
  /** π h² (3 r − h) / 3 (any handbook of formulas), h from the rim as it runs along whole triangles. */
  const rim = rimsOfMesh(open)[0].vertices
  const height = r - Array.from(rim).reduce((s, v) => s + open.positions[v * 3 + 2], 0) / rim.length
  const cap = (Math.PI * height ** 2 * (3 * r - height)) / 3
  test('closed flat: the ball less its cap', () => {
    const { mesh, refused } = fillHoles(open, { ...ALL, kind: 'flat' }, context())
    expect(refused).toHaveLength(0)
    expect(health(mesh)).toMatchObject({ closed: true, crossings: 0, genus: 0 })
    expect(Math.abs(health(mesh).volumeMm3 - (health(whole).volumeMm3 - cap)) / cap).toBeLessThan(0.1)
  })
  test('closed along the curve: most of the cap comes back, though it is as wide as the ball’s radius', () => {
    const { mesh, refused, flatter } = fillHoles(open, ALL, context())
    expect([refused.length, flatter]).toEqual([0, 0])
    expect(health(mesh)).toMatchObject({ closed: true, crossings: 0, genus: 0 })
    const back = (health(mesh).volumeMm3 - (sphere - cap)) / cap
    expect(back).toBeGreaterThan(0.7)
    expect(back).toBeLessThan(1.05)
  })
})

describe('nothing that is laid crosses anything', () => {
  test('a spike that stands in the hole makes the patch go flatter, or leaves it open', () => {
    const box = cube(10)
    const open = withoutFaces(box, [0, 1])
    const rim = rimsOfMesh(open)[0].vertices
    const middle = [0, 1, 2].map((c) => Array.from(rim).reduce((s, v) => s + open.positions[v * 3 + c], 0) / rim.length)
    // A thin upright block right through the opening.
    const post = cube(0.5)
    const through = post.positions.map((v, i) => v + middle[i % 3] - 0.25)
    const both = merged(open, { ...post, positions: through })
    const { mesh, refused } = fillHoles(both, ALL, context())
    expect(health(mesh).crossings).toBe(0)
    expect(refused).toHaveLength(1)
  })
  test('two walls close together, each with holes at the same place', () => {
    const outer = ballMesh(20, 4),
      inner = ballMesh(19.7, 4)
    const seeded = seededRandom(5)
    const holes = Array.from({ length: 8 }, () => {
      const d = [seeded.gaussian(), seeded.gaussian(), seeded.gaussian()]
      return d.map((v) => v / Math.hypot(...d))
    })
    const bitten = (m: TriangleMesh): TriangleMesh =>
      withoutFaces(
        m,
        facesWhere(m, (x, y, z) =>
          holes.some(([a, b, c]) => (a * x + b * y + c * z) / Math.hypot(x, y, z) > Math.cos(0.28)),
        ),
      )
    const inwards = { ...inner, indices: inner.indices.map((_, i, all) => all[i - (i % 3) + (2 - (i % 3))]) }
    const open = merged(bitten(outer), bitten(inwards))
    expect(health(open).loops.length).toBeGreaterThan(9)
    const { mesh, refused } = fillHoles(open, ALL, context())
    expect(refused).toHaveLength(0)
    expect(health(mesh)).toMatchObject({ closed: true, crossings: 0, components: 2 })
  })
})

test('an island in a hole becomes part of its patch', () => {
  const whole = torus(20, 6, 120, 60)
  const around = (x: number, y: number, z: number): number => Math.hypot(x - 20, y, z - 6)
  const open = withoutFaces(
    whole,
    facesWhere(whole, (x, y, z) => around(x, y, z) < 4 && around(x, y, z) > 1.2),
  )
  expect(health(open)).toMatchObject({ components: 2 })
  const { mesh, closedHoles, refused } = fillHoles(open, ALL, context())
  expect([closedHoles, refused.length]).toEqual([2, 0])
  expect(health(mesh)).toMatchObject({ closed: true, components: 1, genus: 1, crossings: 0 })
  expect(health(mesh).volumeMm3 / (2 * Math.PI ** 2 * 20 * 36)).toBeCloseTo(1, 2)
})

describe('bridging', () => {
  const whole = torus(20, 6, 120, 60)
  const gap = withoutFaces(
    whole,
    facesWhere(whole, (x, y) => x > 0 && Math.abs(y) < 2.2),
  )
  test('a ring with a piece out of it: one band makes the ring again, two caps a bent rod', () => {
    expect(health(gap).loops).toHaveLength(2)
    const band = bridgeHoles(gap, [0, 1], 'curved')
    expect(health(band.mesh)).toMatchObject({ closed: true, manifold: true, genus: 1, crossings: 0 })
    expect(health(band.mesh).volumeMm3 / (2 * Math.PI ** 2 * 20 * 36)).toBeCloseTo(1, 2)
    expect(health(fillHoles(gap, ALL, context()).mesh)).toMatchObject({ closed: true, genus: 0, components: 1 })
  })
  test('needs two rims', () => {
    expect(() => bridgeHoles(gap, [0, 0], 'flat')).toThrow('two different rims')
    expect(() => bridgeHoles(gap, [0, 7], 'flat')).toThrow('two different rims')
  })
  test('the seam runs across the shortest gap that is no edge', () => {
    const p = Float32Array.of(0, 0, 0, 1, 0, 0, 0, 1, 0, 0, 0, 1, 1.1, 0, 1.2, 0, 1, 1.4)
    const never = (): boolean => false
    expect(Array.from(joinRings(p, Int32Array.of(0, 1, 2), Int32Array.of(3, 4, 5), never)!)).toEqual([
      0, 1, 2, 0, 3, 4, 5, 3,
    ])
    const taken = (a: number, b: number): boolean => a === 0 && b === 3
    expect(joinRings(p, Int32Array.of(0, 1, 2), Int32Array.of(3, 4, 5), taken)![0]).toBe(1)
    expect(joinRings(p, Int32Array.of(0, 1, 2), Int32Array.of(2, 4, 5), never)).toBeNull()
  })
})

test('banned triangles and edges that are there are not used; where nothing is left there is none', () => {
  const p = Float64Array.of(0, 0, 0, 1, 0, 0, 1, 1, 0, 0, 1, 0)
  const ring = [0, 1, 2, 3]
  const all = triangulateRing(p, ring)!
  expect(all).toHaveLength(6)
  const uses02 = (faces: number[]): boolean => faces.filter((v) => v === 0).length === 2
  const other = triangulateRing(p, ring, {
    isEdge: (a, b) => (uses02(all) ? a + b === 2 && a !== b && a !== 1 : a + b === 4 && a !== 2),
  })!
  expect(uses02(other)).toBe(!uses02(all))
  expect(triangulateRing(p, ring, { isBanned: () => true })).toBeNull()
  expect(triangulateRing(p, ring, { isEdge: () => true })).toBeNull()
})

test('the skyline factor solves what a dense elimination solves, and refuses what is not positive definite', () => {
  const random = seededRandom(11)
  const n = 60
  const dense = Array.from({ length: n }, () => new Float64Array(n))
  for (let i = 0; i < n; i++) {
    dense[i][i] = 8
    for (let k = 0; k < 4; k++) {
      const j = random.integer(n)
      if (j === i) continue
      const v = random.next() - 0.5
      dense[i][j] += v
      dense[j][i] += v
    }
  }
  const rows = dense.map((row) => {
    const columns = Int32Array.from(Array.from(row.keys()).filter((j) => row[j] !== 0))
    return { columns, values: Float64Array.from(columns, (j) => row[j]) }
  })
  const x = Float64Array.from({ length: n }, () => random.gaussian())
  const b = Float64Array.from(dense, (row) => row.reduce((s, v, j) => s + v * x[j], 0))
  const factor = new SkylineFactor(rows)
  factor.solve(b)
  b.forEach((v, i) => expect(v).toBeCloseTo(x[i], 9))
  expect(SkylineFactor.size(rows.map((r) => r.columns))).toBeLessThanOrEqual((n * (n + 1)) / 2)
  rows[3].values.fill(-1)
  expect(() => new SkylineFactor(rows)).toThrow('not positive definite')
})
