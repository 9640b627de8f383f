import { describe, expect, test } from 'vitest'
import { seededRandom } from '../linear/random'
import { chunksAlong, chunksOf } from './chunks'
import { pickFace, pickPoint, type Hit } from './pick'
import { TriangleBvh } from './triangle-bvh'

type Vector = [number, number, number]

const unit = (v: Vector): Vector => {
  const l = Math.hypot(...v)
  return [v[0] / l, v[1] / l, v[2] / l]
}
const offAndDepth = (p: Float32Array, i: number, o: Vector, d: Vector): { off: number; t: number } => {
  const v = [0, 1, 2].map((k) => p[i * 3 + k] - o[k]),
    t = v.reduce((s, x, k) => s + x * d[k], 0)
  return { t, off: Math.sqrt(Math.max(0, v.reduce((s, x) => s + x * x, 0) - t * t)) }
}

/**
 * The rule as it is said, by sorting all points near the ray: the front layer's closest, or a deeper one's where the
 * front lies well beside the ray.
 */
function bySorting(p: Float32Array, o: Vector, d: Vector, radiusMm: number): number | null {
  const near = Array.from({ length: p.length / 3 }, (_, i) => ({ i, ...offAndDepth(p, i, o, d) }))
    .filter((n) => n.off <= radiusMm && n.t >= 0)
    .sort((a, b) => a.t - b.t)
  const layers: (typeof near)[] = []
  near.forEach((n, k) => (k === 0 || n.t - near[k - 1].t >= 3 * radiusMm ? layers.push([n]) : layers.at(-1)!.push(n)))
  const closest = layers.map((l) => l.reduce((a, b) => (b.off < a.off ? b : a)))
  const sure = closest.find((c) => c.off <= 0.4 * radiusMm)
  return (
    (sure ?? closest.reduce<(typeof near)[number] | null>((a, b) => (a === null || b.off < a.off ? b : a), null))?.i ??
    null
  )
}

/** Points of two skins, one within the other, so that rays meet up to four layers. */
function skins(seed: number, n: number): Float32Array {
  const random = seededRandom(seed)
  const p = new Float32Array(n * 3)
  for (let i = 0; i < n; i++) {
    const v = unit([random.gaussian(), random.gaussian(), random.gaussian()]),
      r = i % 3 === 0 ? 14 : 30
    p.set(
      v.map((x) => x * r),
      i * 3,
    )
  }
  return p
}
const sameHit = (hit: Hit | null, p: Float32Array, i: number | null): void => {
  if (i === null) expect(hit).toBeNull()
  else expect(hit!.at).toEqual([p[i * 3], p[i * 3 + 1], p[i * 3 + 2]])
}

describe('the point a person means', () => {
  test('is that of the rule, found with boxes and without, on rays from anywhere', () => {
    const p = skins(1, 6000),
      chunks = chunksOf(p, 64),
      random = seededRandom(2)
    let met = 0,
      missed = 0
    for (let k = 0; k < 300; k++) {
      const o: Vector = [60 * random.gaussian(), 60 * random.gaussian(), 60 * random.gaussian()]
      const d = unit([-o[0] + 16 * random.gaussian(), -o[1] + 16 * random.gaussian(), -o[2] + 16 * random.gaussian()])
      const wanted = bySorting(p, o, d, 1.5)
      sameHit(pickPoint(p, o, d, 1.5), p, wanted)
      sameHit(pickPoint(p, o, d, 1.5, chunks), p, wanted)
      if (wanted === null) missed++
      else met++
    }
    expect(met).toBeGreaterThan(100)
    expect(missed).toBeGreaterThan(20)
  })
  test('lies in the front layer, unless that is only grazed and one behind is hit', () => {
    // A plate with a hole, and one behind it.
    const front: number[] = [],
      back: number[] = []
    for (let x = -10; x <= 10; x++)
      for (let y = -10; y <= 10; y++) {
        if (Math.hypot(x, y) > 2.5) front.push(x, y, 20)
        back.push(x + 0.1, y + 0.1, 0)
      }
    const p = Float32Array.from([...front, ...back])
    const down: Vector = [0, 0, -1]
    expect(pickPoint(p, [6.1, 6.1, 50], down, 1)).toMatchObject({ at: [6, 6, 20], distanceMm: 30 })
    // Through the middle of the hole only the plate behind is near.
    expect(pickPoint(p, [0.1, 0.1, 50], down, 1)!.at[2]).toBe(0)
    // Near its rim both are: the rim lies well beside the ray, the plate behind right on it.
    expect(pickPoint(p, [2.1, 0.1, 50], down, 1)!.at[2]).toBe(0)
    // What lies behind the eye is not meant.
    expect(pickPoint(p, [6.1, 6.1, 10], down, 1)!.at[2]).toBe(0)
    expect(pickPoint(p, [6.1, 6.1, -10], down, 1)).toBeNull()
  })
  test('of a mesh it is the first face a ray meets', () => {
    const p = Float32Array.of(0, 0, 0, 10, 0, 0, 0, 10, 0, 0, 0, 5, 10, 0, 5, 0, 10, 5)
    const faces = new TriangleBvh({ kind: 'mesh', positions: p, indices: Uint32Array.of(0, 1, 2, 3, 4, 5) })
    expect(pickFace(faces, [2, 2, 20], [0, 0, -1])).toEqual({ at: [2, 2, 5], distanceMm: 15 })
    expect(pickFace(faces, [2, 2, 3], [0, 0, -1])).toEqual({ at: [2, 2, 0], distanceMm: 3 })
    expect(pickFace(faces, [8, 8, 20], [0, 0, -1])).toBeNull()
  })
})

describe('boxes along a ray', () => {
  test('all that hold a point near it are named, whichever way it goes', () => {
    const p = skins(3, 5000),
      chunks = chunksOf(p, 64),
      random = seededRandom(4)
    const directions: Vector[] = [
      [1, 0, 0],
      [0, -1, 0],
      [0, 0, 1],
      unit([1, 1, 0]),
      ...Array.from({ length: 40 }, () => unit([random.gaussian(), random.gaussian(), random.gaussian()])),
    ]
    for (const d of directions) {
      const o: Vector = [-50 * d[0] + random.gaussian(), -50 * d[1] + random.gaussian(), -50 * d[2] + random.gaussian()]
      const along = new Set(chunksAlong(chunks, o, d, 2))
      expect(along.size).toBeLessThan(chunks.boxes.length / 6)
      chunks.order.forEach((i, s) => {
        const { off, t } = offAndDepth(p, i, o, d)
        if (off <= 2 && t >= 0) expect(along.has(Math.floor(s / chunks.size))).toBe(true)
      })
    }
  })
  test('a ray right along the face of a box, as from above over whole millimetres, misses nothing', () => {
    // Flat and on whole numbers: grown by 1, faces of the boxes lie where rays do.
    const p: number[] = []
    for (let x = 0; x < 32; x++) for (let y = 0; y < 32; y++) p.push(x, y, 0)
    const cloud = Float32Array.from(p),
      chunks = chunksOf(cloud, 16)
    for (let x = -1; x <= 32; x++)
      for (let y = -1; y <= 32; y++) {
        const wanted = bySorting(cloud, [x, y, 9], [0, 0, -1], 1)
        sameHit(pickPoint(cloud, [x, y, 9], [0, 0, -1], 1), cloud, wanted)
        expect(pickPoint(cloud, [x, y, 9], [0, 0, -1], 1, chunks) === null, `${x}, ${y}`).toBe(wanted === null)
      }
  })
})
