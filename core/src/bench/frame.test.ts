import { describe, expect, test } from 'vitest'
import { quietContext } from '../context'
import { seededRandom } from '../linear/random'
import { invertRigid, transformPoint } from '../linear/rigid'
import { rangeNoiseMm, type DeviceProfile } from '../plan/device-profile'
import { NEW_TAKE, type PlannedTake } from '../plan/takes'
import { captureTake, TABLETOP_DEVICE } from './capture'
import { PIXEL, takeFrame, type FrameReading, type Picture } from './frame'
import { readMeters, sumReadings } from './meters'
import { DEMO_PIECES, type DemoPiece } from './pieces'
import { paint } from './pieces/piece'
import { axisErrorOf, BenchScene, framePose } from './scene'
import { ALL_FAULTS, NO_FAULTS, NOISE_ONLY, PLAIN_BENCH, type BenchSettings, type Faults } from './settings'
import { traceCylinder, traceRay } from './trace'

/** A ball of 30 mm on the table: every ray and every shade has a closed form. */
const BALL: DemoPiece = {
  name: 'Ball',
  number: '',
  field: (x, y, z) => Math.hypot(x, y, z - 30) - 30,
  bounds: { min: [-31, -31, -0.5], max: [31, 31, 60.5] },
  genus: 0,
  lengthMm: 60,
  sizeMm: [60, 60, 60],
  massG: 100,
  zones: ['all'],
  surface: (_x, _y, _z, out) => paint(out, 0, [200, 200, 200], 0.5, 0),
  contrast: false,
}
const WIDE: DeviceProfile = { ...TABLETOP_DEVICE, nearMm: 200, farMm: 460 }

function look(
  piece: DemoPiece,
  over: Partial<BenchSettings> = {},
  take: PlannedTake = NEW_TAKE,
  device = WIDE,
  pixels = 160,
): { picture: Picture; reading: FrameReading; scene: BenchScene; pose: ReturnType<typeof framePose> } {
  const scene = new BenchScene(piece, take, device, { ...PLAIN_BENCH, faults: NO_FAULTS, placingMm: 0, ...over }, 1)
  const n = pixels * pixels
  const picture: Picture = {
    pixels,
    state: new Uint8Array(n),
    plain: new Uint8Array(n),
    pattern: new Uint8Array(n),
    depthMm: new Float32Array(n),
  }
  const pose = framePose(scene, 0, seededRandom(1), 0, axisErrorOf(1))
  return { picture, reading: takeFrame(scene, pose, pixels, seededRandom(2), 0, null, picture), scene, pose }
}

describe('rays against closed forms', () => {
  test('sphere: every depth on the ball is that of the quadratic', () => {
    const { picture, pose } = look(BALL)
    const m = pose.toPiece,
      half = WIDE.windowMm / 2 / WIDE.standOffMm,
      n = picture.pixels
    let hits = 0,
      off = 0
    for (let v = 0; v < n; v++)
      for (let u = 0; u < n; u++) {
        if (picture.state[v * n + u] !== PIXEL.piece) continue
        const su = (((u + 0.5) / n) * 2 - 1) * half,
          sv = (1 - ((v + 0.5) / n) * 2) * half
        const c = 1 / Math.hypot(1, su, sv)
        const d = [0, 4, 8].map((r) => m[r] * su * c + m[r + 1] * sv * c + m[r + 2] * c)
        const o = [m[3], m[7], m[11] - 30]
        const b = o.reduce((s, x, k) => s + x * d[k], 0),
          q = o.reduce((s, x) => s + x * x, 0) - 900
        off = Math.max(off, Math.abs(picture.depthMm[v * n + u] - (-b - Math.sqrt(b * b - q)) * c))
        hits++
      }
    expect(hits).toBeGreaterThan(1000)
    expect(off).toBeLessThan(0.005)
  })
  test('plane: the table lies where the ray meets it', () => {
    const { picture, pose } = look(BALL)
    const n = picture.pixels,
      half = WIDE.windowMm / 2 / WIDE.standOffMm
    let checked = 0
    for (let i = 0; i < n * n; i++) {
      if (picture.state[i] !== PIXEL.table) continue
      const su = ((((i % n) + 0.5) / n) * 2 - 1) * half,
        sv = (1 - ((Math.floor(i / n) + 0.5) / n) * 2) * half
      const dz = pose.right[2] * su + pose.up[2] * sv + pose.forward[2]
      expect(picture.depthMm[i]).toBeCloseTo(-pose.eye[2] / dz, 3)
      checked++
    }
    expect(checked).toBeGreaterThan(500)
  })
  test('cylinder: wall, top, past it, and from inside', () => {
    expect(traceCylinder(10, 20, -50, 0, 10, 1, 0, 0)).toBeCloseTo(40, 12)
    expect(traceCylinder(10, 20, 3, 0, 100, 0, 0, -1)).toBeCloseTo(80, 12)
    expect(traceCylinder(10, 20, -50, 0, 25, 1, 0, 0)).toBe(Infinity)
    expect(traceCylinder(10, 20, -50, 11, 10, 1, 0, 0)).toBe(Infinity)
    expect(
      traceRay(
        (x, y, z) => Math.hypot(x, y, z) - 5,
        { min: [-5, -5, -5], max: [5, 5, 5] },
        -20,
        3,
        0,
        1,
        0,
        0,
        Infinity,
      ),
    ).toBeCloseTo(16, 2)
  })
  test.each(Object.keys(DEMO_PIECES))(
    '%s: depth maps and Newton steps agree with true rays off outlines, 995 of 1000 or more',
    (name) => {
      const piece = DEMO_PIECES[name]
      const device = { ...WIDE, windowMm: 1.4 * piece.lengthMm, nearMm: 100, farMm: 560 }
      const { picture, scene, pose } = look(piece, {}, { ...NEW_TAKE, headingDeg: 25 }, device, 120)
      const m = pose.toPiece,
        half = device.windowMm / 2 / device.standOffMm,
        n = picture.pixels
      const exact = new Float64Array(n * n)
      for (let i = 0; i < n * n; i++) {
        const su = ((((i % n) + 0.5) / n) * 2 - 1) * half,
          sv = (1 - ((Math.floor(i / n) + 0.5) / n) * 2) * half,
          c = 1 / Math.hypot(1, su, sv)
        const [x, y, z] = [0, 4, 8].map((r) => m[r] * su * c + m[r + 1] * sv * c + m[r + 2] * c) as [
          number,
          number,
          number,
        ]
        const t = traceRay(piece.field, scene.box, m[3], m[7], m[11], x, y, z, Infinity)
        exact[i] = t < Infinity ? t * c : 0
      }
      let all = 0,
        agree = 0
      for (let i = n; i < n * n - n; i++) {
        if (
          exact[i] === 0 ||
          [i - 1, i + 1, i - n, i + n].some((j) => exact[j] === 0 || Math.abs(exact[j] - exact[i]) > 6)
        )
          continue
        all++
        if (Math.abs(picture.depthMm[i] - exact[i]) < 0.01) agree++
      }
      expect(all).toBeGreaterThan(400)
      expect(agree / all).toBeGreaterThan(0.995)
    },
  )
})

describe('light', () => {
  test('Lambert: brightness falls with the cosine to the projector and the square of distance', () => {
    // Just under clipping where it is brightest: a hair more light clips the first pixels, a hair less none.
    const at = (light: number): FrameReading => look(BALL, { faults: { ...NO_FAULTS, exposure: true }, light }).reading
    const { pose } = look(BALL)
    const m = pose.toPiece
    // The brightest point faces the projector: range² cos⁻¹ … of the sphere's closed form, seen along the device's
    // axis.
    const p = pose.projector
    let brightest = 0
    for (let i = 0; i < 40_000; i++) {
      const z = 1 - (2 * i + 1) / 40_000,
        a = i * 2.39996,
        s = Math.sqrt(1 - z * z)
      const n = [s * Math.cos(a), s * Math.sin(a), z],
        h = [n[0] * 30, n[1] * 30, 30 + n[2] * 30]
      const l = [p[0] - h[0], p[1] - h[1], p[2] - h[2]],
        r = Math.hypot(...l)
      const depth = m[2] * (h[0] - m[3]) + m[6] * (h[1] - m[7]) + m[10] * (h[2] - m[11])
      brightest = Math.max(
        brightest,
        (0.5 * (WIDE.standOffMm / depth) ** 2 * (n[0] * l[0] + n[1] * l[1] + n[2] * l[2])) / r,
      )
    }
    expect(at(0.985 / brightest).clipped).toBe(0)
    expect(at(1.03 / brightest).clipped).toBeGreaterThan(0)
    expect(at(0.02).taken).toBe(0)
    expect(at(0.02).starved).toBeGreaterThan(500)
  })
  test('a mirror shows only where it bisects the two eyes; bare metal gives next to nothing back', () => {
    const shiny: DemoPiece = { ...BALL, surface: (_x, _y, _z, out) => paint(out, 0, [200, 200, 200], 0.3, 1) }
    const plain = look(
      { ...BALL, surface: (_x, _y, _z, out) => paint(out, 0, [200, 200, 200], 0.3, 0) },
      { faults: { ...NO_FAULTS, exposure: true } },
    ).reading
    const { picture, reading } = look(shiny, { faults: { ...NO_FAULTS, exposure: true } })
    expect(plain.clipped).toBe(0)
    expect(reading.clipped).toBeGreaterThan(0)
    expect(reading.clipped / reading.onPiece).toBeLessThan(0.05)
    // All clipped pixels lie close together, about the direction halfway between the eyes.
    const n = picture.pixels
    const columns = Array.from(picture.state.keys())
      .filter((i) => picture.state[i] === PIXEL.clipped)
      .map((i) => i % n)
    expect(Math.max(...columns) - Math.min(...columns)).toBeLessThan(n / 6)
    const cleat = look(DEMO_PIECES.cleat, { faults: { ...NO_FAULTS, exposure: true } }).reading
    expect((cleat.starved + cleat.clipped) / cleat.onPiece).toBeGreaterThan(0.9)
    const coated = look(DEMO_PIECES.cleat, { faults: { ...NO_FAULTS, exposure: true }, coatMm: 0.01 }).reading
    expect(coated.taken / coated.onPiece).toBeGreaterThan(0.6)
  })
})

const coarse = { spacingMm: 1, pitchMm: 1.4, placingMm: 0 }
const take = (
  piece: DemoPiece,
  faults: Partial<Faults>,
  over: Partial<BenchSettings> = {},
  plan: PlannedTake = { ...NEW_TAKE, steps: 6 },
  device = WIDE,
) => captureTake(piece, plan, device, 5, quietContext(), { ...coarse, faults: { ...NO_FAULTS, ...faults }, ...over })

/** Signed distances of the take's points to the true surface, table left out. */
function errors(piece: DemoPiece, made: ReturnType<typeof take>): Float64Array {
  const back = invertRigid(made.truth)
  const p = made.cloud.positions
  return Float64Array.from({ length: p.length / 3 }, (_, i) => i)
    .filter((i) => p[i * 3 + 2] > 2)
    .map((i) => piece.field(...transformPoint(back, p[i * 3], p[i * 3 + 1], p[i * 3 + 2])))
}
const rms = (v: Float64Array): number => Math.sqrt(v.reduce((s, x) => s + x * x, 0) / v.length)

describe('every effect by itself', () => {
  test('none: points lie on the surface', () => {
    expect(rms(errors(BALL, take(BALL, {})))).toBeLessThan(0.002)
  })
  test('noise: as large as the device’s, times the slant', () => {
    const e = rms(errors(BALL, take(BALL, { noise: true })))
    const plain = rangeNoiseMm(WIDE, 305)
    expect(e).toBeGreaterThan(0.7 * plain)
    expect(e).toBeLessThan(1.6 * plain)
  })
  test('mixed points hang between an outline and what lies behind it', () => {
    const off = errors(BALL, take(BALL, { mixedPoints: true })).filter((v) => v > 1).length
    expect(off).toBeGreaterThan(10)
    expect(errors(BALL, take(BALL, {})).filter((v) => v > 1).length).toBe(0)
  })
  test('false relief: steps along the jug’s bands, nowhere on a piece of one tone', () => {
    const jug = DEMO_PIECES.jug
    const device = { ...WIDE, windowMm: 220 }
    const flat = rms(errors(jug, take(jug, {}, {}, undefined, device))),
      stepped = errors(jug, take(jug, { falseRelief: true }, {}, undefined, device))
    expect(Math.max(...stepped.map(Math.abs))).toBeGreaterThan(0.2)
    expect(rms(stepped)).toBeGreaterThan(2 * flat)
    expect(rms(errors(BALL, take(BALL, { falseRelief: true })))).toBeLessThan(0.002)
  })
  test('drift: a warm device sees everything larger, and only then', () => {
    expect(rms(errors(BALL, take(BALL, { drift: true })))).toBeLessThan(0.002)
    expect(rms(errors(BALL, take(BALL, { drift: true }, { temperatureC: 30, calibratedAtC: 20 })))).toBeGreaterThan(
      0.008,
    )
  })
  test('jitter and axis move whole frames, by little', () => {
    for (const fault of [{ jitter: true }, { axis: true }]) {
      const e = rms(errors(BALL, take(BALL, fault)))
      expect(e).toBeGreaterThan(0.002)
      expect(e).toBeLessThan(0.12)
    }
  })
  test('a table that turns too fast slips; slowly it does not', () => {
    const fast = take(DEMO_PIECES.gull, { slip: true }, {}, { ...NEW_TAKE, secondsPerTurn: 6 })
    expect(fast.slipped).toBe(true)
    expect(rms(errors(DEMO_PIECES.gull, fast))).toBeGreaterThan(0.1)
    expect(take(BALL, { slip: true }, {}, { ...NEW_TAKE, secondsPerTurn: 60 }).slipped).toBe(false)
  })
  test('everything at once stays the same for the same seed', () => {
    const once = take(DEMO_PIECES.lamp, ALL_FAULTS, { light: 3 }),
      again = take(DEMO_PIECES.lamp, ALL_FAULTS, { light: 3 })
    expect(again.cloud.positions).toEqual(once.cloud.positions)
    expect(again.cloud.colours).toEqual(once.cloud.colours)
  })
})

describe('the rules of a take', () => {
  test('a series of exposures holds what no single one does', () => {
    const jug = DEMO_PIECES.jug
    const device = { ...WIDE, windowMm: 200, exposureRange: 6 }
    const plan = { ...NEW_TAKE, steps: 4 }
    const settings = { ...coarse, faults: { ...NOISE_ONLY, exposure: true } }
    const count = (lights: number[]): number => {
      const made = captureTake(jug, plan, device, 5, quietContext(), { ...settings, light: lights[0] }, lights)
      const p = made.cloud.positions
      return Array.from({ length: p.length / 3 }, (_, i) => p[i * 3 + 2]).filter((z) => z > 2).length
    }
    const dim = count([0.9]),
      bright = count([8]),
      both = count([0.9, 8])
    expect(both).toBeGreaterThan(1.15 * Math.max(dim, bright))
  })
  test('a known empty bench takes the table away; limits hold; the load is refused; nothing taken is said with its cause', () => {
    const p = take(BALL, {}, { reference: true }).cloud.positions
    for (let i = 2; i < p.length; i += 3) if (p[i] < -0.05) throw new Error('a point under the table')
    expect(
      Array.from({ length: p.length / 3 }, (_, i) => Math.hypot(p[i * 3], p[i * 3 + 1])).every((r) => r < 31),
    ).toBe(true)
    const limited = take(BALL, {}, {}, { ...NEW_TAKE, steps: 4, floorMm: 20, boxMm: 40 }).cloud.positions
    for (let i = 0; i < limited.length; i += 3)
      expect(Math.max(Math.abs(limited[i]), Math.abs(limited[i + 1])) <= 20.01 && limited[i + 2] >= 19.99).toBe(true)
    expect(() => take({ ...BALL, massG: 9000 }, {}, {}, undefined, { ...WIDE, tableLoadG: 5000 })).toThrow(
      'Ball weighs 9000 g and the table carries 5000 g',
    )
    expect(() => take(BALL, {}, {}, { ...NEW_TAKE, distanceMm: 900 })).toThrow(
      'Not one point was taken: the piece is farther than 460 mm.',
    )
  })
  test('putty stands round the foot and is in the take; a grip hides what it holds', () => {
    const putty = take(BALL, {}, {}, { ...NEW_TAKE, steps: 6, support: 'putty', riserMm: 5 })
    const e = errors(BALL, putty)
    expect(e.filter((v) => v > 0.5).length).toBeGreaterThan(20)
    const grip = take(BALL, {}, {}, { ...NEW_TAKE, kind: 'grip', steps: 6 })
    // The jaw reaches a sixth of the height: nothing of the ball is taken below, and the jaw's own face is.
    const back = invertRigid(grip.truth),
      p = grip.cloud.positions
    const below = Array.from({ length: p.length / 3 }, (_, i) => i).filter((i) => p[i * 3 + 2] < 6)
    expect(below.length).toBeGreaterThan(10)
    for (const i of below)
      expect(BALL.field(...transformPoint(back, p[i * 3], p[i * 3 + 1], p[i * 3 + 2]))).toBeGreaterThan(0.05)
  })
  test('handheld over a plain slab loses its place; with dots in view it does not', () => {
    const slab: DemoPiece = {
      ...BALL,
      name: 'Slab',
      field: (x, y, z) => Math.max(Math.abs(x) - 100, Math.abs(y) - 100, Math.abs(z - 5) - 5),
      bounds: { min: [-101, -101, -1], max: [101, 101, 11] },
      lengthMm: 200,
      sizeMm: [200, 200, 10],
    }
    const device: DeviceProfile = {
      ...WIDE,
      hold: 'hand',
      tracking: ['shape', 'dots'],
      dotsInView: 4,
      maxIncidenceDeg: 75,
    }
    const plan: PlannedTake = { ...NEW_TAKE, kind: 'handheld', elevationDeg: 75, strokes: 3, distanceMm: 330 }
    const dots = Array.from({ length: 80 }, (_, i) => ({
      space: 'piece' as const,
      at: [((i % 9) - 4) * 22, (Math.floor(i / 9) - 4) * 22, 10] as const,
      normal: [0, 0, 1] as const,
      radiusMm: 2.5,
    }))
    const with_ = take(slab, {}, { dots }, plan, device)
    expect(with_.frames.filter((f) => f.tracked).length).toBeGreaterThan(with_.frames.length / 2)
    const lost = (() => {
      try {
        return take(slab, {}, {}, plan, device).frames.filter((f) => !f.tracked).length
      } catch (error) {
        return (error as Error).message
      }
    })()
    expect(typeof lost === 'string' ? lost : lost > with_.frames.length / 2).toSatisfy(
      (v: unknown) => v === true || v === 'Not one point was taken: the device never found its place.',
    )
  })
})

describe('meters', () => {
  const base: FrameReading = {
    onPiece: 1000,
    clipped: 0,
    starved: 0,
    tooNear: 0,
    tooFar: 0,
    taken: 1000,
    nearestMm: 300,
    farthestMm: 350,
    middleMm: 320,
    nearestAt: [0, 0],
    zones: [
      { pixels: 600, clipped: 0, starved: 0 },
      { pixels: 400, clipped: 0, starved: 0 },
    ],
    relief: 0.2,
  }
  const read = (over: Partial<FrameReading>) =>
    readMeters({ ...base, ...over }, TABLETOP_DEVICE, { zones: ['pale glaze', 'band'] }, 1)
  test('in words: what, where, and what to do', () => {
    expect(read({}).finding).toMatchObject({ verdict: 'sound', text: 'Light and distance are right.' })
    const glaze = read({
      clipped: 20,
      zones: [
        { pixels: 600, clipped: 20, starved: 0 },
        { pixels: 400, clipped: 0, starved: 0 },
      ],
      tooNear: 30,
      nearestMm: 268,
      nearestAt: [0.8, 0.1],
    })
    expect(glaze.finding.text).toBe(
      '2.0 % clipped on “pale glaze”; 7 mm too near at its right: dim by 0.5 stop, move back 10 mm.',
    )
    expect(glaze).toMatchObject({ stops: -0.5, moveMm: 10 })
    expect(
      read({
        starved: 300,
        zones: [
          { pixels: 600, clipped: 0, starved: 0 },
          { pixels: 400, clipped: 0, starved: 300 },
        ],
      }).finding,
    ).toMatchObject({ verdict: 'unsound', text: '30.0 % too dark on “band”: brighten by 1 stop.' })
    expect(read({ clipped: 50, starved: 50 }).stops).toBeNull()
    expect(read({ tooFar: 40, farthestMm: 397 }).moveMm).toBe(-15)
    expect(read({ onPiece: 0, taken: 0 }).finding.text).toContain('not in the picture')
  })
  test('clipping up to the setting is no fault (common practice: under 1 % of the piece)', () => {
    expect(read({ clipped: 9 }).finding.verdict).toBe('sound')
    expect(read({ clipped: 12 }).finding.verdict).toBe('doubtful')
  })
  test('frames add up', () => {
    const sum = sumReadings([base, { ...base, clipped: 10, nearestMm: 280, nearestAt: [0.5, 0] }])
    expect(sum).toMatchObject({ onPiece: 2000, clipped: 10, nearestMm: 280, nearestAt: [0.5, 0] })
  })
})
