import { beforeAll, describe, expect, test } from 'vitest'
import { nightTest } from '../../testing/night'
import { captureTake, TABLETOP_DEVICE } from '../../bench/capture'
import { NET_BOBBIN } from '../../bench/pieces'
import { quietContext } from '../../context'
import { worst } from '../../findings'
import {
  compose,
  identityMotion,
  invertRigid,
  rotationMotion,
  shiftMotion,
  transformPoint,
  transformPoints,
  type Motion,
} from '../../linear/rigid'
import { seededRandom } from '../../linear/random'
import { NEW_TAKE } from '../../plan/takes'
import { pickPoints, type PointCloud } from '../../shapes'
import { downsampledCloud } from '../coarse/downsampled-cloud'
import type { JoinReport } from '../takes/join-report'
import { joinAndJudge } from '../takes/join-takes'
import { joinFindings } from '../judge/verdict'
import { sharedSurface } from '../judge/shared-surface'
import { findSlides } from '../judge/slides'
import { type Slide } from '../freedom'
import { prepareCloud } from '../oriented-cloud'
import { agreementOf, leads, meetTones, standsOut, type Toned } from './meet'
import { chooseByColours } from './settle'
import { slideToColours, toneRows } from './slide-to-colours'
import { tonesOf } from './tones'

type Paint = (x: number, y: number, z: number) => number

/** Points of a surface of revolution about z, painted; `light` is what the lamp adds. */
function turned(
  radius: (z: number) => number,
  heightMm: number,
  paint: Paint,
  light = 1,
  seed = 1,
  turn: Motion = identityMotion(),
): PointCloud & { normals: Float32Array } {
  const random = seededRandom(seed),
    n = 16_000
  const positions = new Float32Array(n * 3),
    normals = new Float32Array(n * 3),
    colours = new Uint8Array(n * 3)
  for (let i = 0; i < n; i++) {
    const a = 2 * Math.PI * random.next(),
      z = heightMm * random.next(),
      r = radius(z)
    const slope = (radius(z + 0.01) - radius(z - 0.01)) / 0.02,
      l = Math.hypot(1, slope)
    positions.set(transformPoint(turn, r * Math.cos(a), r * Math.sin(a), z), i * 3)
    const m = transformPoint(
      [...turn.slice(0, 3), 0, ...turn.slice(4, 7), 0, ...turn.slice(8, 11), 0, 0, 0, 0, 1] as unknown as Motion,
      Math.cos(a) / l,
      Math.sin(a) / l,
      -slope / l,
    )
    normals.set(m, i * 3)
    const grey = Math.max(0, Math.min(255, 255 * light * paint(r * Math.cos(a), r * Math.sin(a), z)))
    colours.fill(grey, i * 3, i * 3 + 3)
  }
  return { kind: 'cloud', positions, normals, colours }
}

const VOXEL = 1.2
const toned = (c: PointCloud & { normals: Float32Array }): Toned => {
  const outline = downsampledCloud(c.positions, c.normals, new Uint8Array(c.positions.length / 3), VOXEL)
  return { outline, tones: tonesOf(c, outline)! }
}
const patches: Paint = (x, y, z) => 0.4 + 0.12 * Math.sin(0.31 * x + 0.1 * z) + 0.12 * Math.sin(0.27 * y - 0.13 * z + 1)
const spindle = (z: number): number => 18 + 4 * Math.sin(z / 9)

describe('tones', () => {
  test('the logarithm of lightness, with its slope along the surface (closed form); nothing without colours', () => {
    const n = 60,
      positions: number[] = [],
      colours: number[] = []
    for (let i = 0; i < n; i++)
      for (let j = 0; j < n; j++) {
        positions.push(i, j, 0)
        colours.push(...[0, 0, 0].map(() => Math.round(255 * (Math.exp(0.01 * i - 0.02 * j - 0.5) - 6 / 255))))
      }
    const cloud: PointCloud = {
      kind: 'cloud',
      positions: Float32Array.from(positions),
      colours: Uint8Array.from(colours),
    }
    const outline = downsampledCloud(
      cloud.positions,
      Float32Array.from({ length: n * n * 3 }, (_, i) => (i % 3 === 2 ? 1 : 0)),
      new Uint8Array(n * n),
      2,
    )
    const { tone, gradient } = tonesOf(cloud, outline)!
    for (let i = 0; i < tone.length; i++) {
      const [x, y] = [outline.points[i * 3], outline.points[i * 3 + 1]]
      if (Math.min(x, y) < 6 || Math.max(x, y) > 53) continue
      expect(tone[i]).toBeCloseTo(0.01 * x - 0.02 * y - 0.5, 1)
      expect(gradient[i * 3]).toBeGreaterThan(0.007)
      expect(gradient[i * 3]).toBeLessThan(0.013)
      expect(gradient[i * 3 + 1]).toBeGreaterThan(-0.023)
      expect(gradient[i * 3 + 1]).toBeLessThan(-0.017)
      expect(Math.abs(gradient[i * 3 + 2])).toBeLessThan(1e-6)
    }
    expect(tonesOf({ kind: 'cloud', positions: cloud.positions }, outline)).toBeNull()
  })
  test('places at an edge have none: they average two faces', () => {
    const wedge = turned(
      (z) => (z < 20 ? 20 : 20 - 4 * (z - 20)),
      24,
      () => 0.5,
    )
    const { outline, tones } = toned(wedge)
    let plain = 0,
      known = 0,
      edge = 0,
      without = 0
    for (let i = 0; i < tones.tone.length; i++) {
      const z = outline.points[i * 3 + 2]
      if (Math.abs(z - 20) < 0.5) {
        edge++
        if (Number.isNaN(tones.tone[i])) without++
      }
      if (!(z > 6 && z < 15)) continue
      plain++
      if (!Number.isNaN(tones.tone[i])) known++
    }
    expect(known).toBeGreaterThan(0.9 * plain)
    expect(without).toBeGreaterThan(0.9 * edge)
    expect(edge).toBeGreaterThan(30)
  })
})

describe('a turned piece with paint on it', () => {
  const one = toned(turned(spindle, 60, patches))
  const far = rotationMotion([0, 0, 1], (77 * Math.PI) / 180)
  // Under another light, and in another turn.
  const other = toned(turned(spindle, 60, patches, 0.6, 2, far))
  const truth = invertRigid(far)
  const about: Slide = {
    motion: {
      kind: 'rotation',
      axis: [0, 0, 1],
      point: [0, 0, 0],
      pitchMm: 0,
      free: true,
      playMm: Infinity,
      boundMm: Infinity,
      twist: Float64Array.of(0, 0, 1, 0, 0, 0),
    },
    movers: [1],
    stayers: [0],
    heldByShape: false,
  }
  const offDeg = (m: Motion): number => {
    const error = compose(invertRigid(truth), m)
    return Math.abs((Math.atan2(error[4], error[0]) * 180) / Math.PI)
  }

  test('agreement is high in the true pose under any exposure, and low in others', () => {
    const agree = (m: Motion): number => agreementOf([meetTones(other, one, m, 1)])
    expect(agree(truth)).toBeGreaterThan(0.9)
    expect(agree(compose(rotationMotion([0, 0, 1], 1.2), truth))).toBeLessThan(0.5)
    expect(agreementOf([meetTones(other, one, shiftMotion(500, 0, 0), 1)])).toBeNaN()
    expect(leads(0.9, 0.5)).toBe(true)
    expect(leads(0.9, 0.85)).toBe(false)
    expect(leads(0.4, -1)).toBe(false)
    const chance = Array.from({ length: 40 }, (_, i) => 0.2 * Math.sin(i))
    expect(standsOut(0.9, chance)).toBe(true)
    expect(standsOut(0.6, chance)).toBe(false)
  })
  test('the free turn is found among all, wherever the piece was taken to lie, and then to a tenth of a millimetre', () => {
    const chosen = chooseByColours([1], [0], [identityMotion(), identityMotion()], [one, other], [], about)
    expect(chosen).toMatchObject({ settled: true, moved: true })
    expect(offDeg(chosen.motion)).toBeLessThan(2.5)
    const close = slideToColours([about], [identityMotion(), chosen.motion], [one, other], [[0, 1]])
    expect(offDeg(close[1])).toBeLessThan(0.1)
    expect(Array.from(close[0])).toEqual(Array.from(identityMotion()))
    // What shape holds is left alone.
    expect(
      slideToColours([{ ...about, heldByShape: true }], [identityMotion(), chosen.motion], [one, other], [[0, 1]])[1],
    ).toBe(chosen.motion)
  })
  test('a pattern that comes round again settles nothing; nor does a plain piece', () => {
    const striped = (seed: number): Toned =>
      toned(turned(spindle, 60, (x, y) => 0.4 + 0.15 * Math.cos(4 * Math.atan2(y, x)), 1, seed))
    expect(
      chooseByColours([1], [0], [identityMotion(), identityMotion()], [striped(1), striped(2)], [], about).settled,
    ).toBe(false)
    const plain = (seed: number): Toned => toned(turned(spindle, 60, () => 0.5, 1, seed))
    expect(
      chooseByColours([1], [0], [identityMotion(), identityMotion()], [plain(1), plain(2)], [], about),
    ).toMatchObject({ settled: false, moved: false })
    expect(chooseByColours([1], [0], [identityMotion(), identityMotion()], [one, null], [], about).agreement).toBeNaN()
  })
  test('where nothing else is open, tones that do not go together speak against the pose; plain ones do not', () => {
    const wrong = compose(rotationMotion([0, 0, 1], 1.5), truth)
    expect(chooseByColours([1], [0], [identityMotion(), wrong], [one, other], [], null)).toMatchObject({
      settled: false,
      contradicts: true,
    })
    expect(chooseByColours([1], [0], [identityMotion(), truth], [one, other], [], null)).toMatchObject({
      settled: true,
      contradicts: false,
    })
    const plain = toned(turned(spindle, 60, () => 0.5, 1, 9))
    expect(chooseByColours([1], [0], [identityMotion(), wrong], [plain, other], [], null).contradicts).toBe(false)
  })
  test('slides: the turn is free by shape, and held by the tones as well as they say', () => {
    const clouds = [turned(spindle, 60, patches), turned(spindle, 60, patches, 1, 3)]
    const takes = clouds.map((c) => prepareCloud(c, quietContext()))
    const places = takes.map((t) => t.features.order.filter((_, i) => i % 4 === 0)) as unknown as [
      Int32Array,
      Int32Array,
    ]
    const shared = sharedSurface(takes[0], takes[1], identityMotion(), identityMotion(), 1, 2, places)
    const pairs = [{ a: 0, b: 1, shared }]
    expect(findSlides(pairs, 2, 1).modes[0].motion).toMatchObject({ kind: 'rotation', free: true })
    const rows = toneRows([identityMotion(), identityMotion()], clouds.map(toned), [[0, 1]])
    const held = findSlides(pairs, 2, 1, [], rows).modes[0]
    expect(held.motion.free).toBe(false)
    expect(held.heldByShape).toBe(false)
    // What they come to, beside where other takes of the same paint come to lie: 22 mm is the farthest radius.
    const free = findSlides(pairs, 2, 1).modes[0]
    const offMm = [2, 3, 4, 5, 6, 7].map((k) => {
      const two = [turned(spindle, 60, patches, 1, k), turned(spindle, 60, patches, 1, k + 10)].map(toned)
      return 22 * slideToColours([free], [identityMotion(), identityMotion()], two, [[0, 1]])[free.movers[0]][4]
    })
    const rms = Math.sqrt(offMm.reduce((t, v) => t + v * v, 0) / offMm.length)
    expect(rms).toBeLessThan(1.5 * held.motion.playMm)
    expect(rms).toBeGreaterThan(held.motion.playMm / 20)
  })
})

describe('the bobbin of the bench, round and alike at both ends, its grain told by a camera', () => {
  let clouds: PointCloud[], truth: Motion
  beforeAll(() => {
    const plans = [
      { ...NEW_TAKE, elevationDeg: 40 },
      { ...NEW_TAKE, pose: 'front' as const, elevationDeg: 30 },
    ]
    const got = plans.map((p, i) =>
      captureTake(NET_BOBBIN, p, TABLETOP_DEVICE, 71 + i, quietContext(), { spacingMm: 0.8 }),
    )
    clouds = got.map((g) =>
      pickPoints(
        g.cloud,
        [...g.trueKinds.keys()].filter((i) => g.trueKinds[i] === 0),
      ),
    )
    truth = compose(got[0].truth, invertRigid(got[1].truth))
  })
  const join = async (
    colours: boolean,
    own = clouds,
  ): Promise<{ offMm: number; report: JoinReport; text: string; verdict: string }> => {
    const report = await joinAndJudge(
      { clouds: own, starts: [identityMotion(), null], groups: [0, 1], fixedAt: 0, toleranceMm: null, colours },
      quietContext(),
    )
    const p = transformPoints(report.motions[1]!, own[1].positions),
      q = transformPoints(truth, own[1].positions)
    let offMm = 0
    for (let i = 0; i < p.length; i += 3)
      offMm = Math.max(offMm, Math.hypot(p[i] - q[i], p[i + 1] - q[i + 1], p[i + 2] - q[i + 2]))
    const findings = joinFindings(report, ['upright', 'on its side'])
    return { offMm, report, verdict: worst(findings), text: findings.map((f) => f.text).join('\n') }
  }
  test('by shape alone it is not trusted; with its colours it lies right, and is', async () => {
    expect((await join(false)).verdict).toBe('unsound')
    const { offMm, verdict, text } = await join(true)
    expect(offMm).toBeLessThan(0.2)
    expect(verdict).toBe('sound')
    expect(text).toMatch(/The colours of .* agree/)
    expect(text).toContain('but the colours rule them out')
  })
  test('only judged, it stays where it was put, and its colours speak against a place where they do not go together', async () => {
    const starts = [identityMotion(), compose(rotationMotion([0, 0, 1], 1.3), truth)]
    const report = await joinAndJudge(
      { clouds, starts, groups: [0, 1], fixedAt: 0, toleranceMm: null, colours: true, asPlaced: true },
      quietContext(),
    )
    expect(Array.from(report.motions[1]!)).toEqual(Array.from(starts[1]))
    expect(report.colours![0]).toMatchObject({ settled: false, moved: false, contradicts: true })
    expect(joinFindings(report, ['upright', 'on its side']).find((f) => f.id === 'join.colours')!.verdict).toBe(
      'doubtful',
    )
  })
  nightTest('coated white it has no colours to tell: that is said, and the join stays unsound', async () => {
    const white = clouds.map((c) => ({ ...c, colours: new Uint8Array(c.positions.length).fill(236) }))
    const { verdict, report, text } = await join(true, white)
    expect(verdict).toBe('unsound')
    expect(report.colours![0].settled).toBe(false)
    expect(text).toMatch(/settle nothing|say nothing/)
  })
})
