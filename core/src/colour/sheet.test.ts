import { describe, expect, test } from 'vitest'
import { seededRandom } from '../linear/random'
import { chooseViews, NOBODY } from './choose-views'
import { FaceTexels, texelStarts } from './face-texels'
import { paintUntold, pointColoursOf } from './fill-unseen'
import { levelPhotos, type Readings } from './level-photos'
import { SHADING_TERMS, shadingTerms } from './shading'
import { LIGHT_OF } from './srgb'
import { widenCharts } from './widen-charts'

/** A fan of triangles round a point that leaves nothing of a square out. */
function fan(side: number): Float32Array {
  const rim = [
    [2, 2],
    [11.3, 2],
    [side - 3, 2],
    [side - 3, 17.7],
    [side - 3, side - 2],
    [9.1, side - 2],
    [2, side - 2],
    [2, 13.37],
  ]
  return Float32Array.from(
    rim.flatMap((a, i) => [...a, ...rim[(i + 1) % rim.length], 14.21, 15.83].map((v) => v / side)),
  )
}

describe('texels of faces', () => {
  const side = 32
  test('each texel whose middle lies in the surface belongs to one face, and none to two', () => {
    const uvs = fan(side)
    const texels = new FaceTexels(uvs, side)
    const owner = new Uint8Array(side * side)
    for (let f = 0; f < 8; f++) {
      texels.fill(f)
      for (let i = 0; i < texels.count; i++) owner[texels.at[i]]++
    }
    for (let y = 0; y < side; y++)
      for (let x = 0; x < side; x++)
        expect([x, y, owner[y * side + x]]).toEqual([x, y, x >= 2 && x < side - 3 && y >= 2 && y < side - 2 ? 1 : 0])
    const starts = texelStarts(uvs, side, false)
    expect(starts[8]).toBe((side - 5) * (side - 4))
  })
  test('what the corners weigh gives back the place', () => {
    const uvs = fan(side)
    const texels = new FaceTexels(uvs, side)
    texels.fill(3)
    expect(texels.count).toBeGreaterThan(20)
    for (let i = 0; i < texels.count; i++) {
      const [s, t] = [texels.second[i], texels.third[i]]
      const at = (c: number): number => ((1 - s - t) * uvs[18 + c] + s * uvs[20 + c] + t * uvs[22 + c]) * side
      expect(at(0)).toBeCloseTo((texels.at[i] % side) + 0.5, 3)
      expect(at(1)).toBeCloseTo(Math.floor(texels.at[i] / side) + 0.5, 3)
    }
  })
  test('a face without area has none', () => {
    const texels = new FaceTexels(Float32Array.of(0.1, 0.1, 0.5, 0.5, 0.9, 0.9), side)
    texels.fill(0)
    expect(texels.count).toBe(0)
  })
})

describe('the photos a face is coloured from', () => {
  test('the best that show all its corners, best first; the next one is where the others begin to count', () => {
    const scores = Uint8Array.from(
      [
        [90, 90, 90],
        [200, 0, 200],
        [60, 60, 60],
        [120, 120, 120],
      ].flat(),
    )
    const views = chooseViews(Uint32Array.of(0, 1, 2), scores, 4, 2, false)
    expect(Array.from(views.photos)).toEqual([3, 0])
    expect(views.base[0]).toBe(60)
    expect(Array.from(chooseViews(Uint32Array.of(0, 1, 2), scores, 4, 6, false).photos)).toEqual([
      3,
      0,
      2,
      NOBODY,
      NOBODY,
      NOBODY,
    ])
  })
})

describe('photos held against each other', () => {
  /** Points of random colour that face all ways, in photos with known gains under a lamp beside the camera. */
  function made(withLamp: boolean): { readings: Readings; gains: number[][]; light: (n: number[]) => number } {
    const random = seededRandom(3)
    const light = (n: number[]): number =>
      withLamp ? 0.45 + 0.6 * Math.max(0, -0.45 * n[0] - 0.6 * n[1] - 0.66 * n[2]) : 1
    const gains = Array.from({ length: 12 }, () => [0, 1, 2].map(() => 0.3 * random.gaussian()))
    const first = [0]
    const photo: number[] = [],
      facing: number[] = [],
      lights: number[] = []
    for (let i = 0; i < 900; i++) {
      const colour = [0, 1, 2].map(() => 0.08 + 0.5 * random.next())
      for (let p = 0; p < 12; p++) {
        const n = [random.gaussian(), random.gaussian(), -Math.abs(random.gaussian())]
        const l = Math.hypot(...n)
        n.forEach((v, k) => (n[k] = v / l))
        if (n[2] > -0.25) continue
        const odd = random.next() < 0.06 ? 2 : 1
        photo.push(p)
        facing.push(...n)
        lights.push(
          ...colour.map((c, k) => odd * c * light(n) * Math.exp(gains[p][k]) * (1 + 0.01 * random.gaussian())),
        )
      }
      first.push(photo.length)
    }
    return {
      readings: {
        first: Int32Array.from(first),
        photo: Uint16Array.from(photo),
        facing: Float32Array.from(facing),
        light: Float32Array.from(lights),
        weight: new Float32Array(photo.length).fill(1),
      },
      gains,
      light,
    }
  }
  const spreadOf = (values: number[]): number => {
    const mean = values.reduce((s, v) => s + v, 0) / values.length
    return Math.sqrt(values.reduce((s, v) => s + (v - mean) ** 2, 0) / values.length)
  }
  test('gains within 1 %, the light by direction within 3 %, though 6 of 100 readings are highlights', () => {
    const { readings, gains, light } = made(true)
    const told = levelPhotos(readings, 12)
    for (let c = 0; c < 3; c++) expect(spreadOf(gains.map((g, p) => told.gains[p * 3 + c] - g[c]))).toBeLessThan(0.01)
    const terms = new Float64Array(SHADING_TERMS)
    const off: number[] = []
    for (let r = 0; r < readings.photo.length; r += 7) {
      const n = Array.from(readings.facing.subarray(r * 3, r * 3 + 3))
      shadingTerms(n[0], n[1], n[2], terms)
      let log = 0
      for (let k = 0; k < SHADING_TERMS; k++) log += told.shading[SHADING_TERMS + k] * terms[k]
      off.push(log - Math.log(light(n)))
    }
    expect(spreadOf(off)).toBeLessThan(0.03)
    expect(told.spread).toBeLessThan(0.05)
  })
  test('without any light of its own none is invented', () => {
    const { readings, gains } = made(false)
    const told = levelPhotos(readings, 12)
    expect(spreadOf(gains.map((g, p) => told.gains[p * 3 + 1] - g[1]))).toBeLessThan(0.005)
    const terms = new Float64Array(SHADING_TERMS)
    shadingTerms(0.4, -0.5, -Math.sqrt(1 - 0.41), terms)
    let log = 0
    for (let k = 0; k < SHADING_TERMS; k++) log += told.shading[SHADING_TERMS + k] * terms[k]
    const straight = new Float64Array(SHADING_TERMS)
    shadingTerms(0, 0, -1, straight)
    for (let k = 0; k < SHADING_TERMS; k++) log -= told.shading[SHADING_TERMS + k] * straight[k]
    expect(Math.abs(log)).toBeLessThan(0.02)
  })
})

describe('what no photo shows', () => {
  // A strip of squares: the faces of its ends are told, dark on the left and pale on the right.
  const n = 20
  const indices = new Uint32Array(n * 6)
  const uvs = new Float32Array(n * 12)
  const side = 64
  const place = (i: number, top: boolean): number[] => [(2 + i * 3) / side, (top ? 10 : 20) / side]
  for (let i = 0; i < n; i++) {
    const [a, b, c, d] = [i * 2, i * 2 + 2, i * 2 + 3, i * 2 + 1]
    indices.set([a, b, c, a, c, d], i * 6)
    uvs.set([place(i, false), place(i + 1, false), place(i + 1, true)].flat(), i * 12)
    uvs.set([place(i, false), place(i + 1, true), place(i, true)].flat(), i * 12 + 6)
  }
  const told = new Uint8Array(n * 2)
  told.fill(1, 0, 4)
  told.fill(1, n * 2 - 4)
  const sheet = new Uint8Array(side * side * 3)
  const texels = new FaceTexels(uvs, side)
  for (let f = 0; f < n * 2; f++) {
    if (!told[f]) continue
    texels.fill(f)
    for (let i = 0; i < texels.count; i++) sheet.fill(f < n ? 60 : 200, texels.at[i] * 3, texels.at[i] * 3 + 3)
  }
  test('goes from rim to rim evenly in light, and is told apart from what was seen', () => {
    const { colours, seen } = pointColoursOf(indices, n * 2 + 2, uvs, sheet, side, told)
    expect(seen.reduce((s, v) => s + v, 0)).toBe(12)
    const light = Array.from({ length: n + 1 }, (_, i) => LIGHT_OF[colours[i * 6]])
    for (let i = 3; i < n - 1; i++) expect(light[i]).toBeGreaterThanOrEqual(light[i - 1] - 1e-6)
    const middle = (LIGHT_OF[60] + LIGHT_OF[200]) / 2
    expect(Math.abs(light[n / 2] - middle)).toBeLessThan(0.03)
    const painted = sheet.slice()
    paintUntold(indices, uvs, painted, side, told, colours)
    for (let f = 0; f < n * 2; f++) {
      texels.fill(f)
      for (let i = 0; i < texels.count; i++) expect(painted[texels.at[i] * 3 + 2]).toBeGreaterThan(0)
    }
  })
  test('every chart goes on two texels over its edge; what lies beyond is grey', () => {
    const wide = sheet.slice()
    widenCharts(wide, side)
    const at = (x: number, y: number): number => wide[(y * side + x) * 3]
    expect([at(3, 9), at(3, 8), at(3, 7)]).toEqual([60, 60, 160])
    expect(at(30, 40)).toBe(160)
  })
})
