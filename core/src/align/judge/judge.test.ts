import { describe, expect, test } from 'vitest'
import { seededRandom } from '../../linear/random'
import {
  compose,
  identityMotion,
  invertRigid,
  rotationMotion,
  shiftMotion,
  transformPoint,
  type Motion,
} from '../../linear/rigid'
import type { Mark } from '../marks/mark'
import type { FreeMotion } from '../slippage'
import { OrientedCloud, prepareCloud } from '../oriented-cloud'
import { quietContext } from '../../context'
import { freedomIn } from './closely'
import { cellOf, placesOf, sharedSurface, type SharedSurface } from './shared-surface'
import { slideToMarks } from './slide-to-marks'
import { findSlides, type JudgedPair } from './slides'
import { type Slide } from '../freedom'
import { closingError, sureAmong, tensionOf, witnesses, type Tension } from './tension'
import { findDoubleWalls } from './walls'

type Face = 'top' | 'bottom' | 'left' | 'right' | 'front' | 'back'
const HALF = { x: 30, y: 30, z: 6 }

/** Points a mm apart on some faces of a slab 60 × 60 × 12 mm, off its edges, with noise along the normal. */
function slab(
  faces: readonly Face[],
  seed: number,
  noiseMm = 0.02,
): { positions: Float32Array; normals: Float32Array } {
  const random = seededRandom(seed)
  const positions: number[] = [],
    normals: number[] = []
  for (const face of faces) {
    const axis = face === 'top' || face === 'bottom' ? 2 : face === 'left' || face === 'right' ? 0 : 1
    const sign = face === 'top' || face === 'right' || face === 'back' ? 1 : -1
    const [u, v] = [0, 1, 2].filter((k) => k !== axis) as [number, number]
    const half = [HALF.x, HALF.y, HALF.z]
    for (let a = -half[u] + 1; a < half[u]; a += 1)
      for (let b = -half[v] + 1; b < half[v]; b += 1) {
        const p = [0, 0, 0],
          n = [0, 0, 0]
        p[axis] = sign * half[axis] + noiseMm * random.gaussian()
        p[u] = a + 0.2 * random.gaussian()
        p[v] = b + 0.2 * random.gaussian()
        n[axis] = sign
        positions.push(...p)
        normals.push(...n)
      }
  }
  return { positions: Float32Array.from(positions), normals: Float32Array.from(normals) }
}

const take = (s: { positions: Float32Array; normals: Float32Array }): OrientedCloud =>
  prepareCloud({ kind: 'cloud', ...s }, quietContext())

function pairsOf(
  takes: readonly OrientedCloud[],
  motions: readonly Motion[] = takes.map(() => identityMotion()),
  wideMm = 1.5,
): { pairs: JudgedPair[]; cellMm: number } {
  const cellMm = cellOf(takes)
  const places = takes.map((t) => placesOf(t, cellMm))
  const pairs: JudgedPair[] = []
  for (let a = 0; a < takes.length; a++)
    for (let b = a + 1; b < takes.length; b++) {
      const shared: SharedSurface = sharedSurface(takes[a], takes[b], motions[a], motions[b], cellMm, wideMm, [
        places[a],
        places[b],
      ])
      if (shared.share > 0.02) pairs.push({ a, b, shared })
    }
  return { pairs, cellMm }
}

const WALLS: Face[] = ['left', 'right', 'front', 'back']

describe('slides of a slab (counts by Gelfand and Guibas 2004, table 1)', () => {
  const freeOf = (faces: readonly (readonly Face[])[]) => {
    const { pairs, cellMm } = pairsOf(faces.map((f, i) => take(slab(f, i + 1))))
    return findSlides(pairs, faces.length, cellMm)
  }
  test('four shared walls leave one motion free, through the thickness', () => {
    const r = freeOf([
      ['top', ...WALLS],
      ['bottom', ...WALLS],
    ])
    const free = r.modes.filter((m) => m.motion.free)
    expect(free).toHaveLength(1)
    expect(free[0].motion.kind).toBe('translation')
    expect(Math.abs(free[0].motion.axis[2])).toBeGreaterThan(0.999)
    expect(free[0].motion.boundMm).toBeLessThan(2 * HALF.z + 0.5)
    expect(r.playMm).toBe(Infinity)
    expect(r.pairFree).toEqual([1])
  })
  test('two parallel walls leave three', () => {
    const r = freeOf([
      ['top', 'left', 'right'],
      ['bottom', 'left', 'right'],
    ])
    expect(r.modes.filter((m) => m.motion.free)).toHaveLength(3)
  })
  test('a take that sees top, a wall and the underside together cures both', () => {
    // Two parallel walls and the take's own wall and front: what the three share holds all six motions.
    expect(
      freeOf([
        ['top', 'left', 'right', 'front'],
        ['bottom', 'left', 'right', 'front'],
        ['top', 'bottom', 'left', 'front'],
      ]).modes.filter((m) => m.motion.free),
    ).toHaveLength(0)
    const cured = freeOf([
      ['top', ...WALLS],
      ['bottom', ...WALLS],
      ['top', 'bottom', 'left', 'front'],
    ])
    expect(cured.playMm).toBeLessThan(0.02)
    expect(cured.playMm).toBeGreaterThan(0.0002)
  })
  test('the order of the takes does not matter; a mark holds what shape leaves free, as well as it is known', () => {
    const faces: Face[][] = [
      ['top', ...WALLS],
      ['bottom', ...WALLS],
      ['top', 'left', 'front'],
    ]
    const play = (order: number[]): number[] =>
      freeOf(order.map((i) => faces[i]))
        .modes.filter((m) => !m.motion.free)
        .map((m) => m.motion.playMm)
    expect(play([0, 1, 2])[0]).toBeCloseTo(play([2, 0, 1])[0], 2)
    const { pairs, cellMm } = pairsOf([take(slab(['top', ...WALLS], 1)), take(slab(['bottom', ...WALLS], 2))])
    const marked = findSlides(pairs, 2, cellMm, [{ a: 0, b: 1, at: [5, 5, 0], sigmaMm: 0.3 }])
    expect(marked.modes.some((m) => m.motion.free)).toBe(false)
    expect(marked.playMm).toBeGreaterThan(0.2)
    expect(marked.playMm).toBeLessThan(0.6)
  })
  test('a ball keeps three turns', () => {
    const random = seededRandom(3)
    const ball = (): OrientedCloud => {
      const n = Float32Array.from({ length: 3 * 4000 }, () => random.gaussian())
      for (let i = 0; i < n.length; i += 3) {
        const l = Math.hypot(n[i], n[i + 1], n[i + 2])
        for (let k = 0; k < 3; k++) n[i + k] /= l
      }
      return take({ normals: n, positions: n.map((v) => v * (20 + 0.02 * random.gaussian())) })
    }
    const { pairs, cellMm } = pairsOf([ball(), ball()])
    const free = findSlides(pairs, 2, cellMm).modes.filter((m) => m.motion.free)
    expect(free.map((m) => m.motion.kind)).toEqual(['rotation', 'rotation', 'rotation'])
  })
})

describe('walls that stand double', () => {
  const faces: Face[] = ['top', ...WALLS]
  test('none where noise explains it; one bulged wall is found, with how far and where', () => {
    const clean = pairsOf([take(slab(faces, 1, 0.05)), take(slab(faces, 2, 0.05))])
    expect(findDoubleWalls(clean.pairs, [1], clean.cellMm, 0.2)).toEqual([])
    const bent = slab(faces, 2, 0.05)
    for (let i = 0; i < bent.positions.length; i += 3)
      if (bent.normals[i + 2] === 1 && bent.positions[i] > 5) bent.positions[i + 2] += 0.6
    const { pairs, cellMm } = pairsOf([take(slab(faces, 1, 0.05)), take(bent)])
    const [wall] = findDoubleWalls(pairs, [1], cellMm, 0.2)
    expect(wall.apartMm).toBeGreaterThan(0.5)
    expect(wall.apartMm).toBeLessThan(0.7)
    expect(wall.share).toBeGreaterThan(0.1)
    expect(wall.at[0]).toBeGreaterThan(3)
    expect(wall.at[2]).toBeCloseTo(6.3, 0)
  })
})

test('freedom in another pose: top and two walls hold a take; turned by a quarter one of the walls meets nothing, and it slides', () => {
  const takes = [1, 2].map((seed) => take(slab(['top', 'left', 'front'], seed)))
  const { pairs, cellMm } = pairsOf(takes)
  const set = {
    takes,
    described: [],
    motions: takes.map(() => identityMotion()),
    places: takes.map((t) => placesOf(t, cellMm)),
    cellMm,
  }
  const crossing = pairs.map((p) => ({ ...p, inflation: 1 }))
  expect(freedomIn(set, crossing, [1], null)).toBe(0)
  expect(freedomIn(set, crossing, [1], rotationMotion([0, 0, 1], Math.PI / 2))).toBe(1)
  expect(freedomIn(set, crossing, [0], rotationMotion([0, 0, 1], -Math.PI / 2))).toBe(1)
})

describe('what pulls takes apart', () => {
  const faces: Face[] = ['top', 'bottom', ...WALLS]
  test('a pair that was moved by hand wants back by as much; one that fits wants nothing', () => {
    const a = take(slab(faces, 1)),
      b = take(slab(faces, 2))
    const still = pairsOf([a, b])
    expect(tensionOf(still.pairs[0], [0, 0, 0], 42, 1).wantsMm).toBeLessThan(0.02)
    const off = pairsOf([a, b], [identityMotion(), shiftMotion(0.2, 0, 0)])
    const t = tensionOf(off.pairs[0], [0, 0, 0], 42, 1)
    expect(t.wantsMm).toBeGreaterThan(0.15)
    expect(t.wantsMm).toBeLessThan(0.25)
    expect(t.twist[3]).toBeLessThan(-0.15)
  })
  test('a take two thousandths larger is measured so', () => {
    const larger = slab(faces, 2)
    const t = tensionOf(
      pairsOf([take(slab(faces, 1)), take({ ...larger, positions: larger.positions.map((v) => v * 1.002) })]).pairs[0],
      [0, 0, 0],
      42,
      1,
    )
    expect(Math.abs(t.scale - 0.002)).toBeLessThan(0.0004)
    expect(t.scaleSigma).toBeLessThan(0.0003)
  })
  test('three takes on a line, steps of 1, 1 and 2.3 measured: a chain closes 0.3 off (worked by hand)', () => {
    const t = (a: number, b: number, x: number): Tension => ({
      a,
      b,
      wantsMm: Math.abs(x),
      twist: Float64Array.of(0, 0, 0, x, 0, 0),
      scale: 0,
      scaleSigma: 1,
    })
    const closed = closingError(
      [t(0, 1, 1), t(1, 2, 1), t(0, 2, 2.3)],
      [
        [0, 1],
        [1, 2],
      ],
      3,
      10,
    )
    expect(closed.rings).toBe(1)
    expect(closed.beforeMm).toBeCloseTo(0.3, 12)
    expect(closingError([t(0, 1, 1)], [[0, 1]], 2, 10)).toMatchObject({ rings: 0, beforeMm: 0 })
  })
  test('links and pairs that share enough are heard; among many pairs one must be surer', () => {
    const pair = (a: number, b: number, share: number): JudgedPair => ({ a, b, shared: { share } as SharedSurface })
    const t = (a: number, b: number): Tension => ({
      a,
      b,
      wantsMm: 1,
      twist: new Float64Array(6),
      scale: 0,
      scaleSigma: 1,
    })
    const heard = witnesses(
      [t(0, 1), t(1, 2), t(0, 2), t(0, 3)],
      [pair(0, 1, 0.5), pair(1, 2, 0.1), pair(0, 2, 0.15), pair(0, 3, 0.3)],
      [
        [0, 1],
        [2, 1],
      ],
      0.2,
    )
    expect(heard.map(({ a, b }) => [a, b])).toEqual([
      [0, 1],
      [1, 2],
      [0, 3],
    ])
    expect(sureAmong(1)).toBe(4)
    expect(sureAmong(700)).toBeCloseTo(5.395, 3)
  })
  test('shared surface: half of each, measured by the contract, whichever is asked first', () => {
    const a = take(slab(['top', 'left', 'right'], 1)),
      b = take(slab(['top', 'front', 'back'], 2))
    const cell = cellOf([a, b])
    const one = sharedSurface(a, b, identityMotion(), identityMotion(), cell, 1, [placesOf(a, cell), placesOf(b, cell)])
    const other = sharedSurface(b, a, identityMotion(), identityMotion(), cell, 1, [
      placesOf(b, cell),
      placesOf(a, cell),
    ])
    expect(one.share).toBeCloseTo(other.share, 6)
    // Top 60 × 60 of 60 × 60 + 2 · 60 × 12, less what lies at rims.
    expect(one.share).toBeGreaterThan(0.6)
    expect(one.share).toBeLessThan(0.8)
  })
})

describe('along what shape leaves free, marks decide', () => {
  const mode = (motion: Partial<FreeMotion>): Slide => ({
    movers: [1],
    stayers: [0],
    heldByShape: false,
    motion: {
      kind: 'rotation',
      axis: [0, 0, 1],
      point: [5, -2, 0],
      pitchMm: 0,
      free: true,
      playMm: Infinity,
      boundMm: Infinity,
      twist: new Float64Array(6),
      ...motion,
    },
  })
  const spots: readonly (readonly [number, number, number])[] = [
    [12, 3, 4],
    [-7, 9, 20],
    [0, -15, 8],
  ]
  /** Marks on the first take, and where they lie on the second when it is moved by `m` from its place. */
  const marksFor = (m: Motion, count: number): Mark[] =>
    spots
      .slice(0, count)
      .map((at) => ({ a: 0, b: 1, atA: at, atB: transformPoint(invertRigid(m), ...at), sigmaMm: 0.5 }))
  const gap = (m: Motion, n: Motion): number => Math.max(...m.map((v, i) => Math.abs(v - n[i])))
  test.each<[string, Partial<FreeMotion>, Motion]>([
    [
      'a turn of 130° about an axis off the middle',
      {},
      compose(shiftMotion(5, -2, 0), compose(rotationMotion([0, 0, 1], 2.27), shiftMotion(-5, 2, 0))),
    ],
    ['a shift', { kind: 'translation', axis: [0, 0.6, 0.8], pitchMm: Infinity }, shiftMotion(0, 6, 8)],
    [
      'a screw',
      { kind: 'screw', point: [0, 0, 0], pitchMm: 3 },
      compose(shiftMotion(0, 0, 2.1), rotationMotion([0, 0, 1], 0.7)),
    ],
  ])('%s is found again, from one mark on', (_what, motion, truth) => {
    for (const count of [1, 3])
      expect(
        gap(slideToMarks([mode(motion)], [identityMotion(), identityMotion()], marksFor(truth, count))[1], truth),
      ).toBeLessThan(1e-6)
  })
  test('what shape holds is not touched, nor anything without a mark across', () => {
    const motions = [identityMotion(), identityMotion()]
    const turn = rotationMotion([0, 0, 1], 0.4)
    expect(slideToMarks([{ ...mode({}), heldByShape: true }], motions, marksFor(turn, 2))).toBe(motions)
    expect(slideToMarks([mode({})], motions, [])).toBe(motions)
  })
})
