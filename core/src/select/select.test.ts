import { beforeAll, describe, expect, test } from 'vitest'
import { coarseMesh } from '../bench/scene'
import { traceRay } from '../bench/trace'
import { DEMO_PIECES } from '../bench/pieces'
import { seededRandom } from '../linear/random'
import { vertexNormals } from '../mesh/normals'
import type { TriangleMesh } from '../shapes'
import { KdTree } from '../spatial/kd-tree'
import {
  addDepth,
  addMeshDepth,
  chunksOf,
  combine,
  connectedPart,
  countBits,
  emptyBits,
  emptyDepth,
  fitPlane,
  frontOf,
  grow,
  growPlane,
  hasBit,
  indicesOf,
  invert,
  labOf,
  pixelsOf,
  planeThrough,
  sameBits,
  polygonMask,
  selectBelow,
  selectBelowPlane,
  selectByBrush,
  selectByColour,
  selectInBox,
  selectInPolygon,
  setBit,
  shrink,
  withTolerance,
  type Items,
  type View,
} from './index'

/** A camera on +x looking at the origin, y to the right, z up: a plain pinhole. */
function viewFrom(distance: number, width: number, height: number, focal = 2): View {
  const aspect = width / height
  // Right is +y, up is +z, ahead is −x; w is the distance ahead of the eye.
  return { matrix: [0, focal / aspect, 0, 0, 0, 0, focal, 0, -1, 0, 0, distance, -1, 0, 0, distance], width, height }
}
const project = (v: View, p: ArrayLike<number>, i: number): [number, number] => {
  const m = v.matrix
  const row = (r: number): number => m[r] * p[i * 3] + m[r + 1] * p[i * 3 + 1] + m[r + 2] * p[i * 3 + 2] + m[r + 3]
  return [(row(0) / row(12) + 1) * (v.width / 2), (1 - row(4) / row(12)) * (v.height / 2)]
}
/** Crossings of a ray to the right: the textbook test, corner by corner. */
const insidePolygon = (x: number, y: number, poly: readonly number[]): boolean => {
  let inside = false
  for (let i = 0, j = poly.length - 2; i < poly.length; j = i, i += 2)
    if (
      poly[i + 1] > y !== poly[j + 1] > y &&
      x < ((poly[j] - poly[i]) * (y - poly[i + 1])) / (poly[j + 1] - poly[i + 1]) + poly[i]
    )
      inside = !inside
  return inside
}
const cloudOf = (n: number, seed: number, size = 40): Float32Array => {
  const random = seededRandom(seed)
  return Float32Array.from({ length: n * 3 }, () => (random.next() - 0.5) * size)
}

describe('sets', () => {
  test('add, subtract, replace, invert, count, list', () => {
    const a = emptyBits(11),
      b = emptyBits(11)
    for (const i of [0, 3, 10]) setBit(a, i)
    for (const i of [3, 4]) setBit(b, i)
    expect([...indicesOf(combine(a, b, 'add'))]).toEqual([0, 3, 4, 10])
    expect([...indicesOf(combine(a, b, 'subtract'))]).toEqual([0, 10])
    expect([...indicesOf(combine(a, b, 'replace'))]).toEqual([3, 4])
    expect([...indicesOf(invert(a, 11))]).toEqual([1, 2, 4, 5, 6, 7, 8, 9])
    expect(countBits(invert(invert(a, 11), 11))).toBe(3)
    expect(countBits(invert(emptyBits(16), 16))).toBe(16)
  })
  test('sets of many words, with bytes left over or lying askew in memory, count and combine as bit by bit', () => {
    const random = seededRandom(12)
    for (const [bytes, skip] of [
      [125_003, 0],
      [4096, 1],
      [4097, 3],
      [3, 0],
    ] as const) {
      const made = (): Uint8Array =>
        new Uint8Array(bytes + skip).map(() => Math.floor(random.next() * 256)).subarray(skip)
      const a = made(),
        b = made()
      const ones = (v: Uint8Array): number => v.reduce((n, byte) => n + byte.toString(2).replaceAll('0', '').length, 0)
      expect(countBits(a)).toBe(ones(a))
      expect(Array.from(combine(a, b, 'add'))).toEqual(Array.from(a, (v, i) => v | b[i]))
      expect(Array.from(combine(a, b, 'subtract'))).toEqual(Array.from(a, (v, i) => v & ~b[i]))
      expect(sameBits(a, a.slice())).toBe(true)
      const other = a.slice()
      other[bytes - 1] ^= 128
      expect(sameBits(a, other)).toBe(false)
      expect(sameBits(a, a.subarray(1))).toBe(false)
    }
  })
})

const inPolygon = (
  items: Items,
  view: View,
  polygon: readonly number[],
  front: Parameters<typeof frontOf>[3] | null = null,
): Uint8Array => {
  const pixels = pixelsOf(items, view)
  return selectInPolygon(pixels, view, polygon, front && frontOf(items, view, pixels, front))
}

describe('lasso', () => {
  const view = viewFrom(100, 320, 200)
  const star = [160, 10, 190, 150, 60, 60, 260, 60, 130, 150]
  test('the mask is the even–odd rule at the middles of pixels', () => {
    const mask = polygonMask(star, view)
    for (let y = 0; y < view.height; y++)
      for (let x = 0; x < view.width; x++) {
        const u = x - mask.left,
          v = y - mask.top
        const got = u >= 0 && v >= 0 && u < mask.width && v < mask.height && mask.inside[v * mask.width + u] === 1
        if (got !== insidePolygon(x + 0.5, y + 0.5, star)) throw new Error(`${x}, ${y}`)
      }
    expect(mask.inside.reduce((n, b) => n + b, 0)).toBeGreaterThan(3000)
  })
  test('20,003 points: chosen are those whose pixel lies inside, and none behind the eye', () => {
    const p = cloudOf(20_003, 4, 240)
    const bits = inPolygon({ positions: p }, view, star)
    let wrong = 0
    for (let i = 0; i < p.length / 3; i++) {
      const [u, v] = project(view, p, i)
      const want =
        p[i * 3] < 100 &&
        u >= 0 &&
        v >= 0 &&
        u < 320 &&
        v < 200 &&
        insidePolygon(Math.floor(u) + 0.5, Math.floor(v) + 0.5, star)
      if (want !== hasBit(bits, i)) wrong++
    }
    expect(wrong).toBe(0)
    expect(countBits(bits)).toBeGreaterThan(500)
  })
  test('a lasso of two corners, or through nowhere, is refused; one beside the stage chooses nothing', () => {
    expect(() => polygonMask([0, 0, 5, 5], view)).toThrow('at least three corners')
    expect(() => polygonMask([0, 0, 5, NaN, 1, 1], view)).toThrow('no place on the stage')
    expect(countBits(inPolygon({ positions: cloudOf(100, 1) }, view, [-50, -50, -10, -50, -10, -10]))).toBe(0)
  })
})

describe('front only, on the hollow jug', () => {
  const jug = DEMO_PIECES.jug
  const view = viewFrom(520, 640, 480, 2.4)
  // Tilted towards the eye, so that it looks into the mouth.
  const c = Math.cos(0.5),
    s = Math.sin(0.5)
  const stand = (x: number, y: number, z: number): [number, number, number] => [c * x - s * z, y, s * x + c * z + 82]
  let mesh: TriangleMesh, sampled: { positions: Float32Array; normals: Float32Array }, spacing: number
  beforeAll(() => {
    const whole = coarseMesh(jug)
    const positions = whole.positions.slice()
    for (let k = 0; k < positions.length; k += 3) {
      const x = positions[k],
        z = positions[k + 2] - 82
      positions[k] = c * x + s * z
      positions[k + 2] = -s * x + c * z
    }
    mesh = { ...whole, positions }
    // Three points a face, evenly at random.
    const random = seededRandom(8),
      normals = vertexNormals(mesh)
    const t = mesh.indices,
      n = (t.length / 3) * 3
    const p = new Float32Array(n * 3),
      q = new Float32Array(n * 3)
    let area = 0
    for (let i = 0; i < n; i++) {
      const f = Math.floor(i / 3) * 3
      let a = random.next(),
        b = random.next()
      if (a + b > 1) [a, b] = [1 - a, 1 - b]
      for (let k = 0; k < 3; k++) {
        p[i * 3 + k] =
          positions[t[f] * 3 + k] * (1 - a - b) + positions[t[f + 1] * 3 + k] * a + positions[t[f + 2] * 3 + k] * b
        q[i * 3 + k] =
          normals[t[f] * 3 + k] * (1 - a - b) + normals[t[f + 1] * 3 + k] * a + normals[t[f + 2] * 3 + k] * b
      }
    }
    for (let f = 0; f < t.length; f += 3) {
      const e = [0, 1, 2].map((k) => positions[t[f + 1] * 3 + k] - positions[t[f] * 3 + k]),
        g = [0, 1, 2].map((k) => positions[t[f + 2] * 3 + k] - positions[t[f] * 3 + k])
      area += Math.hypot(e[1] * g[2] - e[2] * g[1], e[2] * g[0] - e[0] * g[2], e[0] * g[1] - e[1] * g[0]) / 2
    }
    sampled = { positions: p, normals: q }
    spacing = Math.sqrt(area / n)
  })
  const everything = [0, 0, 640, 0, 640, 480, 0, 480]
  test('agrees with true rays at the mesh on 99 of 100 points or more, off outlines', () => {
    const depth = emptyDepth(view.width, view.height)
    addDepth(depth, sampled, view, spacing)
    const bits = inPolygon(sampled, view, everything, withTolerance(depth, spacing))
    const { positions: p } = sampled
    // Within two spacings of an outline or an edge of sight: a mesh picture whose depth jumps there.
    const sharp = emptyDepth(view.width, view.height)
    addMeshDepth(sharp, mesh.positions, mesh.indices, view)
    const band = Math.ceil((2 * spacing * 2.4 * 240) / 440)
    let checked = 0,
      wrong = 0,
      hidden = 0
    for (let i = 0; i < p.length / 3; i += 17) {
      const [u, v] = project(view, p, i).map(Math.floor) as [number, number]
      let low = Infinity,
        high = 0
      for (let b = v - band; b <= v + band; b++)
        for (let a = u - band; a <= u + band; a++) {
          const d = sharp.nearest[b * view.width + a] ?? Infinity
          low = Math.min(low, d)
          high = Math.max(high, d)
        }
      if (high === Infinity || high - low > 8 * spacing) continue
      // A true ray at the jug's own surface, in its own coordinates.
      const eye = stand(520, 0, 0),
        at = stand(p[i * 3], p[i * 3 + 1], p[i * 3 + 2])
      const d = at.map((x, k) => x - eye[k]),
        l = Math.hypot(...d)
      const [x, y, z] = d.map((v) => v / l) as [number, number, number]
      const shows = traceRay(jug.field, jug.bounds, eye[0], eye[1], eye[2], x, y, z, Infinity) > l - 0.3
      checked++
      if (!shows) hidden++
      if (shows !== hasBit(bits, i)) wrong++
    }
    expect(checked).toBeGreaterThan(3000)
    expect(hidden).toBeGreaterThan(1000)
    expect(wrong / checked).toBeLessThan(0.01)
  })
  test('a picture without perspective hides the same: a wall before a wall', () => {
    const wall = (x: number): Float32Array =>
      Float32Array.from(
        { length: 60 * 60 * 3 },
        (_, k) => [x, (Math.floor(k / 3) % 60) - 30, Math.floor(k / 180) - 30][k % 3],
      )
    const flat: View = { matrix: [0, 0.02, 0, 0, 0, 0, 0.02, 0, -0.001, 0, 0, 0, 0, 0, 0, 1], width: 400, height: 400 }
    const before = wall(10),
      behind = wall(-10)
    const depth = emptyDepth(400, 400)
    for (const positions of [before, behind]) addDepth(depth, { positions }, flat, 1)
    const all = [0, 0, 400, 0, 400, 400, 0, 400]
    expect(countBits(inPolygon({ positions: before }, flat, all, withTolerance(depth, 1)))).toBe(3600)
    expect(countBits(inPolygon({ positions: behind }, flat, all, withTolerance(depth, 1)))).toBe(0)
    expect(countBits(inPolygon({ positions: behind }, flat, all))).toBe(3600)
  })
  test('through takes the far wall and the inside too; another take in front hides what lies behind it', () => {
    const depth = emptyDepth(view.width, view.height)
    addDepth(depth, sampled, view, spacing)
    const front = countBits(inPolygon(sampled, view, everything, withTolerance(depth, spacing)))
    const through = countBits(inPolygon(sampled, view, everything))
    expect(through).toBe(sampled.positions.length / 3)
    expect(front).toBeLessThan(0.5 * through)
    // A screen before it all.
    const screen = Float32Array.from(
      { length: 300 * 300 * 3 },
      (_, k) => [200, ((Math.floor(k / 3) % 300) - 150) * 0.8, (Math.floor(k / 900) - 150) * 0.8][k % 3],
    )
    addDepth(depth, { positions: screen }, view, 0.8)
    expect(countBits(inPolygon(sampled, view, everything, withTolerance(depth, spacing)))).toBe(0)
  })
})

describe('brush', () => {
  test('boxes over stretches of neighbours: every point in one, inside its box, and the boxes small', () => {
    const p = cloudOf(8000, 3)
    const { order, boxes, size } = chunksOf(p, 128)
    expect(Array.from(order).sort((a, b) => a - b)).toEqual(Array.from({ length: 8000 }, (_, i) => i))
    order.forEach((i, s) => {
      const box = boxes.subarray(Math.floor(s / size) * 6, Math.floor(s / size) * 6 + 6)
      for (let k = 0; k < 3; k++) expect(p[i * 3 + k] >= box[k] && p[i * 3 + k] <= box[3 + k]).toBe(true)
    })
    const volume = (b: ArrayLike<number>): number => (b[3] - b[0]) * (b[4] - b[1]) * (b[5] - b[2])
    const whole = chunksOf(p, 8000).boxes
    const mean =
      Array.from({ length: boxes.length / 6 }, (_, c) => volume(boxes.subarray(c * 6, c * 6 + 6))).reduce(
        (a, b) => a + b,
        0,
      ) /
      (boxes.length / 6)
    expect(mean).toBeLessThan(0.1 * volume(whole))
  })
  test('a stroke takes what lies within its radius, with boxes and without, and not the back of a thin wall', () => {
    const p = cloudOf(8000, 3)
    const stroke = [0, 0, 0, 10, 0, 0, 10, 10, 5]
    const bits = selectByBrush({ positions: p }, stroke, 4, chunksOf(p, 128))
    const toSegment = (i: number, a: number[], b: number[]): number => {
      const d = a.map((x, k) => b[k] - x),
        q = a.map((x, k) => p[i * 3 + k] - x)
      const t = Math.min(1, Math.max(0, q.reduce((s, x, k) => s + x * d[k], 0) / d.reduce((s, x) => s + x * x, 0)))
      return Math.hypot(...q.map((x, k) => x - t * d[k]))
    }
    for (let i = 0; i < p.length / 3; i++)
      expect(hasBit(bits, i)).toBe(
        Math.min(toSegment(i, [0, 0, 0], [10, 0, 0]), toSegment(i, [10, 0, 0], [10, 10, 5])) <= 4,
      )
    const wall = { positions: Float32Array.of(0, 0, 0.5, 0, 0, -0.5), normals: Float32Array.of(0, 0, 1, 0, 0, -1) }
    expect([...indicesOf(selectByBrush(wall, [0, 0, 0], 2, null, [0, 0, 1]))]).toEqual([0])
    expect(countBits(selectByBrush(wall, [0, 0, 0], 2, null))).toBe(2)
  })
  test('a brush of no width and a stroke of no place are refused', () => {
    expect(() => selectByBrush({ positions: cloudOf(5, 1) }, [0, 0, 0], 0, null)).toThrow('wider than 0 mm')
    expect(() => selectByBrush({ positions: cloudOf(5, 1) }, [0, 0, 0], NaN, null)).toThrow('wider than 0 mm')
    expect(() => selectByBrush({ positions: cloudOf(5, 1) }, [], 1, null)).toThrow('no place')
  })
})

describe('regions', () => {
  // A grid of a millimetre on each face of a cube, with the faces' normals.
  const cube = { positions: new Float32Array(6 * 21 * 21 * 3), normals: new Float32Array(6 * 21 * 21 * 3) }
  for (let f = 0, at = 0; f < 6; f++)
    for (let a = -10; a <= 10; a++)
      for (let b = -10; b <= 10; b++, at += 3) {
        const axis = f >> 1,
          side = f & 1 ? 1 : -1
        cube.positions[at + axis] = 10 * side
        cube.normals[at + axis] = side
        cube.positions[at + ((axis + 1) % 3)] = a
        cube.positions[at + ((axis + 2) % 3)] = b
      }
  const tree = new KdTree(cube.positions)
  // The middle of the top.
  const seed = 5 * 441 + 220
  test('the plane of a seed is the face it lies on, and ends at its edges', () => {
    const ids = indicesOf(growPlane(cube, tree, seed, { distanceMm: 0.2, angleDeg: 20, spacingMm: 1 }))
    expect([...ids]).toEqual(Array.from({ length: 441 }, (_, i) => 5 * 441 + i))
    // Without normals the rims of the four walls lie in the plane too.
    expect(
      countBits(growPlane({ positions: cube.positions }, tree, seed, { distanceMm: 0.2, angleDeg: 20, spacingMm: 1 })),
    ).toBe(441 + 4 * 21)
    expect(() =>
      growPlane({ positions: cube.positions }, tree, seed, { distanceMm: 0, angleDeg: 20, spacingMm: 1 }),
    ).toThrow('more than 0 mm')
  })
  test('grow and shrink by a distance, and back', () => {
    const p = Float32Array.from({ length: 101 * 3 }, (_, k) => (k % 3 === 0 ? k / 3 : 0))
    const items = { positions: p }
    const bits = emptyBits(101)
    for (let i = 40; i <= 60; i++) setBit(bits, i)
    const more = grow(items, bits, 5.5)
    expect([indicesOf(more)[0], indicesOf(more).at(-1)]).toEqual([35, 65])
    expect(shrink(items, more, 5.5)).toEqual(bits)
    expect(countBits(grow(items, emptyBits(101), 5))).toBe(0)
    expect(() => grow(items, bits, 0)).toThrow('more than 0 mm')
  })
  test('a connected part is all that hangs together, and nothing beyond the gap', () => {
    const p = Float32Array.from({ length: 60 * 3 }, (_, k) =>
      k % 3 === 0 ? Math.floor(k / 3) + (k >= 90 ? 10 : 0) : 0,
    )
    expect([...indicesOf(connectedPart({ positions: p }, 3, 1.5))]).toEqual(Array.from({ length: 30 }, (_, i) => i))
  })
  test('a plane through three places; points on a line mean none', () => {
    const plane = planeThrough([0, 0, 5], [1, 0, 5], [0, 1, 5], [0, 0, 9])
    expect(plane.normal[2]).toBeCloseTo(1, 12)
    expect(plane.offset).toBeCloseTo(5, 12)
    expect([...indicesOf(selectBelowPlane(Float32Array.of(0, 0, 4, 0, 0, 6), plane))]).toEqual([0])
    expect(() => planeThrough([0, 0, 0], [1, 1, 1], [2, 2, 2], [0, 0, 1])).toThrow('on one line')
    expect(() => fitPlane(Float32Array.of(0, 0, 0, 1, 1, 1, 2, 2, 2), [0, 1, 2])).toThrow('on one line')
  })
})

describe('by value', () => {
  // L*a*b* (D65) of the sRGB primaries as handbooks of colour print them, to two places; from memory.
  test.each([
    ['red', [255, 0, 0], [53.24, 80.09, 67.2]],
    ['green', [0, 255, 0], [87.73, -86.18, 83.18]],
    ['blue', [0, 0, 255], [32.3, 79.19, -107.86]],
    ['white', [255, 255, 255], [100, 0, 0]],
    ['black', [0, 0, 0], [0, 0, 0]],
  ] as const)('%s in L*a*b*', (_name, rgb, lab) => {
    labOf(rgb[0], rgb[1], rgb[2]).forEach((v, k) => expect(Math.abs(v - lab[k])).toBeLessThan(0.02))
  })
  test('by colour within a difference; without colours it is refused', () => {
    const colours = Uint8Array.of(200, 30, 30, 205, 32, 28, 40, 90, 200)
    expect([...indicesOf(selectByColour(colours, [200, 30, 30], 5))]).toEqual([0, 1])
    expect([...indicesOf(selectByColour(colours, [200, 30, 30], 0))]).toEqual([0])
    expect(() => selectByColour(undefined, [0, 0, 0], 5)).toThrow('no colours')
  })
  test('below a confidence, what is no number counts as nothing; in a box, edges counted in', () => {
    expect([...indicesOf(selectBelow(Float32Array.of(0.1, 0.5, NaN, 0.9), 0.5))]).toEqual([0, 2])
    expect(() => selectBelow(undefined, 0.5)).toThrow('how sure its points are')
    expect([...indicesOf(selectInBox(Float32Array.of(0, 0, 0, 1, 1, 1, 2, 0, 0), [0, 0, 0], [1, 1, 1]))]).toEqual([
      0, 1,
    ])
    expect(() => selectInBox(Float32Array.of(0, 0, 0), [1, 0, 0], [0, 1, 1])).toThrow('ends before it begins')
  })
})
