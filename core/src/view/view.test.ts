import { describe, expect, test } from 'vitest'
import { seededRandom } from '../linear/random'
import { torus } from '../testing/solids'
import { DepthMap } from './depth-map'
import { lookAxes } from './look-axes'
import { RangeImage } from './range-image'

const dot = (a: ArrayLike<number>, b: ArrayLike<number>): number => a[0] * b[0] + a[1] * b[1] + a[2] * b[2]

test('right, up and ahead are of length one, square to each other and right-handed, straight up and down too', () => {
  const random = seededRandom(4)
  const looks = [
    [0, 0, 1],
    [0, 0, -7],
    [0.1, 0, 5],
    ...Array.from({ length: 20 }, () => [0, 0, 0].map(random.gaussian)),
  ]
  for (const [x, y, z] of looks) {
    const axes = lookAxes(x, y, z)
    const [right, up, ahead] = [0, 3, 6].map((k) => axes.subarray(k, k + 3))
    for (const a of [right, up, ahead]) expect(dot(a, a)).toBeCloseTo(1, 12)
    for (const [a, b] of [
      [right, up],
      [up, ahead],
      [ahead, right],
    ])
      expect(dot(a, b)).toBeCloseTo(0, 12)
    expect(dot(ahead, [x, y, z])).toBeCloseTo(Math.hypot(x, y, z), 9)
    // Looking along ahead, up × right points away from the eye.
    const cross = [
      right[1] * up[2] - right[2] * up[1],
      right[2] * up[0] - right[0] * up[2],
      right[0] * up[1] - right[1] * up[0],
    ]
    expect(dot(cross, ahead)).toBeCloseTo(-1, 12)
  }
})

describe('a picture of depths made of points', () => {
  // A wall of 40 × 40 mm, a millimetre between points, seen from 200 mm before it.
  const wall = Float32Array.from({ length: 41 * 41 * 3 }, (_, i) => {
    const k = Math.floor(i / 3)
    return i % 3 === 0 ? (k % 41) - 20 : i % 3 === 1 ? Math.floor(k / 41) - 20 : 0
  })
  const image = RangeImage.of(wall, [0, 0, 200], () => 2 / 200)!
  test('tells how far a place stands in front of what was seen, and how far behind', () => {
    expect(image.inFrontMm(0, 0, 30)).toBeCloseTo(30, 4)
    expect(image.inFrontMm(5, -7, -12)).toBeCloseTo(-12, 4)
  })
  test('knows nothing beside what was seen, at its rim, and behind the eye', () => {
    for (const at of [
      [60, 0, 0],
      [20, 0, 1],
      [0, 0, 250],
    ] as const)
      expect(image.inFrontMm(at[0], at[1], at[2])).toBe(-Infinity)
  })
  test('a gap wider than a pixel says nothing, nor what runs round it', () => {
    const holed = wall.filter((_, i) => {
      const k = i - (i % 3)
      return Math.hypot(wall[k], wall[k + 1]) > 6
    })
    const seen = RangeImage.of(holed, [0, 0, 200], () => 2 / 200)!
    expect(seen.inFrontMm(0, 0, 30)).toBe(-Infinity)
    expect(seen.inFrontMm(14, 0, 1)).toBeGreaterThan(0)
  })
  test('few points, or points on both sides of the eye, make none', () => {
    expect(RangeImage.of(wall.slice(0, 49 * 3), [0, 0, 200], () => 1)).toBeNull()
    expect(RangeImage.of(wall, [5, 0, 0], () => 1)).toBeNull()
  })
  test('is handed between threads as its two arrays', () => {
    const again = new RangeImage(image.camera.slice(), image.depth.slice())
    expect(again.inFrontMm(3, 4, 9)).toBe(image.inFrontMm(3, 4, 9))
  })
})

test('what an eye sees of a mesh is what a picture of its points says', () => {
  const mesh = torus(20, 6, 200, 100)
  const eye = [90, 30, 60] as const
  const buffer = new DepthMap(mesh, 240)
  buffer.look(eye, [0, 0, 0], 0.3)
  const seen = mesh.positions.filter((_, i) => {
    const k = i - (i % 3)
    // The normal of a torus: from the middle of its ring.
    const [x, y, z] = mesh.positions.subarray(k, k + 3)
    const r = Math.hypot(x, y)
    const n = [(x - (20 * x) / r) / 6, (y - (20 * y) / r) / 6, z / 6]
    const d = [eye[0] - x, eye[1] - y, eye[2] - z]
    const cosine = dot(n, d) / Math.hypot(...d)
    return cosine > 0.3 && buffer.sees(x, y, z, cosine)
  })
  const image = RangeImage.of(seen, eye, () => 1.5 / 110)!
  let hidden = 0,
    told = 0
  for (let k = 0; k < seen.length; k += 3) {
    const front = image.inFrontMm(seen[k], seen[k + 1], seen[k + 2])
    if (front === -Infinity) continue
    told++
    // The nearest of nine pixels may lie in front, by what the surface slopes within them.
    if (front > 0.5) hidden++
  }
  expect(told).toBeGreaterThan(seen.length / 6)
  expect(hidden).toBe(0)
})
