import { beforeAll, describe, expect, test } from 'vitest'
import { quietContext } from '../context'
import { invertRigid, transformPoint, transformPoints } from '../linear/rigid'
import { PHONE } from '../plan/photos'
import { NEW_TAKE } from '../plan/takes'
import { TABLETOP_DEVICE } from './capture'
import { project } from '../view/camera'
import { missingRuns, NO_EFFECTS, photoRun, photosPerTurn, type PhoneEffects, type PhoneSettings } from './phone'
import { blurPixels, phoneCamera, phonePose, photograph, type Photo } from './photograph'
import { DEMO_PIECES } from './pieces'
import { BenchScene } from './scene'
import { PLAIN_BENCH } from './settings'

const all = (n: number): number[] => Array.from({ length: n }, (_, i) => i)

describe('a phone that falls asleep', () => {
  test('left alone it sleeps after two minutes: 24 photos at 8 s end with the fifteenth', () => {
    const run = photoRun({ perTurn: 24, intervalSeconds: 8, keptAwake: false }, all(24))
    expect(run.filter((s) => s.taken).map((s) => s.index)).toEqual(all(15))
    expect(run[15]).toEqual({ index: 15, tableDeg: 225, atSeconds: 120, taken: false })
    expect(photoRun({ perTurn: 24, intervalSeconds: 8, keptAwake: true }, all(24)).every((s) => s.taken)).toBe(true)
  })
  test('only those that are missing: the run begins anew with a touch, at their own angles', () => {
    const run = photoRun({ perTurn: 24, intervalSeconds: 8, keptAwake: false }, [15, 16, 23])
    expect(run.map((s) => [s.tableDeg, s.atSeconds, s.taken])).toEqual([
      [225, 0, true],
      [240, 8, true],
      [345, 16, true],
    ])
  })
  test('missing photos are named in runs; one over 0° is a single run', () => {
    const here = (missing: readonly number[]): Set<number> => new Set(all(24).filter((i) => !missing.includes(i)))
    expect(missingRuns(24, here([]))).toEqual([])
    expect(missingRuns(24, here([5]))).toEqual([{ fromDeg: 75, toDeg: 75, count: 1 }])
    expect(missingRuns(24, here([15, 16, 17, 18, 19, 20, 21, 22, 23]))).toEqual([
      { fromDeg: 225, toDeg: 345, count: 9 },
    ])
    expect(missingRuns(24, here([22, 23, 0, 1, 8]))).toEqual([
      { fromDeg: 330, toDeg: 15, count: 4 },
      { fromDeg: 120, toDeg: 120, count: 1 },
    ])
    expect(missingRuns(6, new Set())).toEqual([{ fromDeg: 0, toDeg: 300, count: 6 }])
  })
})

describe('photos of the jug', () => {
  const jug = DEMO_PIECES.jug
  const phone: PhoneSettings = {
    camera: PHONE,
    perTurn: 12,
    intervalSeconds: 8,
    elevationDeg: 20,
    stops: 0,
    keptAwake: true,
  }
  const width = 160
  const { distanceMm } = photosPerTurn(PHONE, jug, NEW_TAKE)
  const scene = new BenchScene(jug, NEW_TAKE, TABLETOP_DEVICE, { ...PLAIN_BENCH, placingMm: 0 }, 1)
  const shoot = (over: Partial<PhoneSettings> = {}, seed = 1): Photo[] => {
    const p = { ...phone, ...over }
    return photograph(scene, p, distanceMm, photoRun(p, [0, 3]), width, seed, quietContext())
  }
  let photos: Photo[]
  beforeAll(() => {
    photos = shoot()
  })
  const at = (p: Photo, x: number, y: number): number[] => [
    ...p.rgb.subarray((y * p.width + x) * 3, (y * p.width + x) * 3 + 3),
  ]
  /** Where a point of the piece appears, by the pinhole. */
  const pixelOf = (p: Photo, point: readonly [number, number, number]): [number, number] => {
    const over = transformPoint(scene.truth, ...point)
    const [x, y, z] = transformPoint(invertRigid(p.pose), ...over)
    return [
      Math.round((x / z / (PHONE.sensorWidthMm / PHONE.focalMm) + 0.5) * p.width - 0.5),
      Math.round((y / z / (PHONE.sensorHeightMm / PHONE.focalMm) + 0.5) * p.height - 0.5),
    ]
  }
  test('each has the form of the sensor; the same seed gives the same bytes, another does not', () => {
    expect(photos.map((p) => [p.width, p.height, p.rgb.length])).toEqual([
      [160, 119, 57120],
      [160, 119, 57120],
    ])
    expect(photos[0].rgb).not.toEqual(photos[1].rgb)
    expect(shoot()[1].rgb).toEqual(photos[1].rgb)
    expect(shoot({}, 2)[1].rgb).not.toEqual(photos[1].rgb)
  })
  test('pinhole: the dark band and the pale glaze lie where their points project to', () => {
    const p = photos[0]
    const [bx, by, bz] = [0, 4, 8].map((r) => p.pose[r + 3]) as [number, number, number]
    const l = Math.hypot(bx, by)
    // Points of the wall on the side of the camera; the radii are the jug's own at these heights.
    const wall = (z: number, r: number): [number, number, number] => [(bx / l) * r, (by / l) * r, z]
    expect(bz).toBeGreaterThan(0)
    const band = pixelOf(p, wall(47, 53)),
      pale = pixelOf(p, wall(66, 56))
    const grey = ([x, y]: [number, number]): number => at(p, x, y).reduce((s, v) => s + v, 0) / 3
    expect(grey(pale)).toBeGreaterThan(2 * grey(band))
  })
  test('a stop more is twice the light: linear values double where nothing clips', () => {
    const linear = (v: number): number => (v / 255 <= 0.04045 ? v / 255 / 12.92 : ((v / 255 + 0.055) / 1.055) ** 2.4)
    const plain = photos[0],
      dim = shoot({ stops: -1 })[0]
    let sum = 0,
      half = 0
    for (let i = 0; i < plain.rgb.length; i++)
      if (plain.rgb[i] < 235 && plain.rgb[i] > 60) {
        sum += linear(plain.rgb[i])
        half += linear(dim.rgb[i])
      }
    expect(sum / half).toBeCloseTo(2, 1)
    expect(dim.exposureSeconds).toBeCloseTo(plain.exposureSeconds / 2, 9)
  })
  test('blur: nothing in focus, half the circle of confusion at the end of the depth of field', () => {
    expect(blurPixels(PHONE, 300, 300, 4000)).toBe(0)
    // c = f²·|s−d| / (N·d·(s−f)) by hand for f 50, N 2, s 1000, d 2000: 2500·1000/(2·2000·950) = 0.6579 mm.
    const camera = { ...PHONE, focalMm: 50, fNumber: 2, sensorWidthMm: 36 }
    expect(blurPixels(camera, 1000, 2000, 36)).toBeCloseTo(0.6579, 4)
  })
  test('the camera looks at the middle of the piece, level with the horizon', () => {
    const m = phonePose(scene, 30, 400, 90)
    const [x, y, z] = transformPoint(m, 0, 0, 400)
    expect([x, y, z - scene.placed.middleMm].every((v) => Math.abs(v) < 1e-9)).toBe(true)
    expect(m[8]).toBeCloseTo(0, 12)
  })
  test('the tent is brighter above than below, whichever way the piece lies: the same wall, seen upside down', () => {
    // Two places of the pale wall that face up and down alike when the jug stands; turned over they change places.
    const over = { ...NEW_TAKE, pose: 'inverted' as const }
    const turned = new BenchScene(jug, over, TABLETOP_DEVICE, { ...PLAIN_BENCH, placingMm: 0 }, 1)
    const greyAt = (of: BenchScene, z: number): number => {
      const light: number[] = []
      const p = photograph(of, { ...phone, elevationDeg: 5 }, 400, photoRun(phone, [0]), 320, 1, quietContext())[0]
      // The wall before the camera: the middle columns of the row at that height.
      const [x, y, depth] = transformPoint(invertRigid(p.truth), ...transformPoint(of.truth, ...wallBefore(of, p, z)))
      const u = (x / depth / (PHONE.sensorWidthMm / PHONE.focalMm) + 0.5) * p.width,
        v = (y / depth / (PHONE.sensorHeightMm / PHONE.focalMm) + 0.5) * p.height
      for (let dx = -3; dx <= 3; dx++) light.push(p.rgb[(Math.floor(v) * p.width + Math.floor(u) + dx) * 3 + 1])
      return light.reduce((s, l) => s + l, 0) / light.length
    }
    const wallBefore = (of: BenchScene, p: Photo, z: number): [number, number, number] => {
      const eye = transformPoint(invertRigid(of.truth), p.truth[3], p.truth[7], p.truth[11])
      const l = Math.hypot(eye[0], eye[1])
      let r = 70
      while (jug.field((eye[0] / l) * r, (eye[1] / l) * r, z) > 0) r -= 0.05
      return [(eye[0] / l) * r, (eye[1] / l) * r, z]
    }
    const upright = greyAt(scene, 96) / greyAt(scene, 28)
    const inverted = greyAt(turned, 96) / greyAt(turned, 28)
    expect(upright).toBeGreaterThan(1.03 * inverted)
  })
  test('what a phone does to its pictures, each by itself: lens, tone, shadows, softness, drift', () => {
    const with_ = (effects: Partial<PhoneEffects>): Photo => shoot({ effects: { ...NO_EFFECTS, ...effects } })[0]
    const plain = photos[0]
    expect(with_({}).rgb).toEqual(plain.rgb)
    const mean = (p: Photo): number => p.rgb.reduce((s, v) => s + v, 0) / p.rgb.length
    // Corners lose a third of their light; nothing does in the middle.
    const lens = with_({ lens: true })
    const corner = (p: Photo): number => at(p, 1, 1)[1] + at(p, 158, 117)[1] + at(p, 158, 1)[1] + at(p, 1, 117)[1]
    expect(corner(lens)).toBeLessThan(0.9 * corner(plain))
    expect(mean(with_({ tone: true }))).not.toBeCloseTo(mean(plain), 0)
    // A shadow only takes light away, and some of it.
    const shadows = with_({ shadows: true })
    expect(mean(shadows)).toBeLessThan(mean(plain))
    // Soft edges: the same light in all, smaller steps between neighbours (those of the sensor's noise left out).
    const step = (p: Photo): number => {
      let sum = 0
      for (let i = 3; i < p.rgb.length; i++) sum += Math.max(0, Math.abs(p.rgb[i] - p.rgb[i - 3]) - 12)
      return sum / p.rgb.length
    }
    const large = (effects: PhoneEffects): Photo =>
      photograph(scene, { ...phone, effects }, distanceMm, photoRun(phone, [0]), 480, 1, quietContext())[0]
    const [sharp, soft] = [large(NO_EFFECTS), large({ ...NO_EFFECTS, softness: true })]
    expect(step(soft)).toBeLessThan(0.98 * step(sharp))
    expect(Math.abs(mean(soft) - mean(sharp))).toBeLessThan(0.5)
    // Exposure within a quarter of a stop, told in the picture's own record; the pixels follow it.
    const drifting = shoot({ effects: { ...NO_EFFECTS, drift: true } })
    const stops = drifting.map((p) => Math.log2(p.exposureSeconds * 60))
    expect(stops.every((s) => Math.abs(s) <= 0.25)).toBe(true)
    expect(stops[0]).not.toBe(stops[1])
    drifting.forEach((p, i) => expect(Math.sign(mean(p) - mean(photos[i]))).toBe(Math.sign(stops[i])))
  })
  test('a camera that stands where the photo was taken shows a point where the picture has it', () => {
    const camera = phoneCamera(PHONE, NO_EFFECTS, width, photos[0].truth)
    const out = new Float64Array(3)
    const eye = transformPoint(photos[0].truth, 0, 0, 300)
    project(camera, ...eye, out)
    expect([out[0], out[1], out[2]]).toEqual([80, 59.5, 300].map((v) => expect.closeTo(v, 6)))
  })
  test('the whole piece is in the picture, seen from above too: no pixel of it at the edge', () => {
    for (const pose of ['upright', 'inverted', 'left'] as const) {
      const take = { ...NEW_TAKE, pose }
      const of = new BenchScene(jug, take, TABLETOP_DEVICE, PLAIN_BENCH, 1)
      const { distanceMm: far } = photosPerTurn(PHONE, jug, take)
      for (const elevationDeg of [10, 45]) {
        const camera = phoneCamera(PHONE, NO_EFFECTS, 640, phonePose(of, elevationDeg, far, 30))
        const out = new Float64Array(3)
        let outside = 0
        const all = transformPoints(of.truth, of.mesh.positions)
        for (let i = 0; i < all.length; i += 3) {
          project(camera, all[i], all[i + 1], all[i + 2], out)
          if (!(out[0] > 2 && out[0] < 638 && out[1] > 2 && out[1] < camera.heightPx - 2)) outside++
        }
        expect([pose, elevationDeg, outside]).toEqual([pose, elevationDeg, 0])
      }
    }
  })
})
