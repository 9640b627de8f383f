import { describe, expect, test } from 'vitest'
import { worst, type Verdict } from '../../findings'
import { identityMotion, rotationMotion, shiftMotion } from '../../linear/rigid'
import type { JoinReport } from '../takes/join-report'
import type { FreeMotion } from '../slippage'
import type { Alternative } from './alternatives'
import { evidenceOf, verdictFrom, verdictsFrom, type EvidenceVerdicts, type JoinEvidence } from './evidence'
import { JOIN_LIMITS } from './limits'
import type { SharedSurface } from './shared-surface'
import type { Slide } from '../freedom'
import { alternativeWords, isRound, joinFindings, pairVerdict, tellablePoses } from './verdict'

// Reports made by hand, so that each rule stands alone. Thresholds are the contract's, in tolerances T; T is 1 mm here.
const T = 1

const shared = (over: Partial<SharedSurface> = {}): SharedSurface => ({
  points: Float32Array.of(0, 0, 0),
  normals: Float32Array.of(0, 0, 1),
  others: Float32Array.of(0, 0, 1),
  apartMm: Float32Array.of(0),
  cellMm2: 1,
  looked: [100, 100],
  met: [60, 60],
  share: 0.6,
  areaMm2: 4200,
  scatterMm: 0.2,
  expectedMm: 0.2,
  rmsMm: 0.2,
  p95Mm: 0.4,
  ...over,
})
const motion = (over: Partial<FreeMotion> = {}): FreeMotion => ({
  kind: 'translation',
  axis: [0, 0, 1],
  point: [0, 0, 0],
  pitchMm: Infinity,
  free: false,
  playMm: 0.1,
  boundMm: Infinity,
  twist: new Float64Array(6),
  ...over,
})
const slide = (over: Partial<FreeMotion> = {}, who: Partial<Slide> = {}): Slide => ({
  motion: motion(over),
  movers: [1],
  stayers: [0],
  heldByShape: true,
  ...who,
})
const other = (over: Partial<Alternative> = {}): Alternative => ({
  movers: [1],
  stayers: [0],
  motion: rotationMotion([0, 0, 1], Math.PI),
  turnDeg: 180,
  shiftMm: 3,
  farMm: 80,
  share: 0.6,
  mainShare: 0.6,
  rmsMm: 0.2,
  mainRmsMm: 0.2,
  asWell: true,
  against: 0,
  mainAgainst: 0,
  better: false,
  ruledOutBy: null,
  ...over,
})
/** Two takes well joined. */
function report(over: Partial<JoinReport> = {}): JoinReport {
  return {
    motions: [identityMotion(), shiftMotion(1, 2, 3)],
    toleranceMm: T,
    pairs: [{ a: 0, b: 1, shared: shared() }],
    slides: { modes: [slide()], playMm: 0.1, pairPlayMm: [0.1], pairFree: [0], inflation: [1] },
    walls: [],
    conflicts: [],
    ruledOut: [],
    alternatives: [],
    tensions: [{ a: 0, b: 1, wantsMm: 0.1, twist: new Float64Array(6), scale: 0, scaleSigma: 1e-4 }],
    closing: { rings: 0, beforeMm: 0, afterMm: 0 },
    tree: [[0, 1]],
    guessedLooks: [],
    byShape: true,
    rounds: 4,
    settled: true,
    cellMm: 1,
    marks: null,
    dots: null,
    colours: null,
    ...over,
  }
}
const withPair = (over: Partial<SharedSurface>): JoinReport => report({ pairs: [{ a: 0, b: 1, shared: shared(over) }] })
const findings = (r: JoinReport) => joinFindings(r, ['upright', 'side', 'third'])
const finding = (r: JoinReport, id: string) => findings(r).find((f) => f.id === `join.${id}`)

test('two takes well joined: everything is sound, and said', () => {
  const all = findings(report())
  expect(all.map((f) => [f.id, f.verdict])).toEqual([
    ['join.overlap', 'sound'],
    ['join.residual', 'sound'],
    ['join.slide', 'sound'],
    ['join.alike', 'sound'],
  ])
  expect(all.map((f) => f.text)).toEqual([
    '“upright” and “side” share 60 % of their surface (42 cm²).',
    'Where they meet, 95 of 100 points agree within 0.40 mm.',
    'Nothing slides: the weakest motion of the joined takes is known to 0.100 mm.',
    'No other pose fits as well.',
  ])
})

test('the limits are the contract’s: a third and the whole of the tolerance, a fifth and a twentieth of the surface, a hundredth double', () => {
  expect(JOIN_LIMITS).toMatchObject({
    playSound: 1 / 3,
    playUnsound: 1,
    overlap: 0.2,
    noOverlap: 0.05,
    doubleShare: 0.01,
  })
})

describe('each rule on both sides of its limits', () => {
  const low = 1 - 1e-6,
    high = 1 + 1e-6,
    L = JOIN_LIMITS
  test.each<[keyof EvidenceVerdicts, (at: number) => JoinReport, number, Verdict, Verdict]>([
    ['overlap', (v) => withPair({ share: v }), L.overlap, 'doubtful', 'sound'],
    ['overlap', (v) => withPair({ share: v }), L.noOverlap, 'unsound', 'doubtful'],
    ['residual', (v) => withPair({ rmsMm: 0.2 * v }), L.scatter, 'sound', 'doubtful'],
    ['residual', (v) => withPair({ rmsMm: 0.2 * v }), L.scatterUnsound, 'doubtful', 'unsound'],
    ['residual', (v) => withPair({ rmsMm: v, expectedMm: 0.9 }), T, 'sound', 'unsound'],
    [
      'slide',
      (v) => report({ slides: { ...report().slides, modes: [slide({ playMm: v })] } }),
      T * L.playSound,
      'sound',
      'doubtful',
    ],
    [
      'slide',
      (v) => report({ slides: { ...report().slides, modes: [slide({ playMm: v })] } }),
      T * L.playUnsound,
      'doubtful',
      'unsound',
    ],
    [
      'alike',
      (v) => report({ alternatives: [other({ asWell: false, share: 0.6 * v })] }),
      L.lessShare,
      'sound',
      'doubtful',
    ],
    [
      'double',
      (v) => report({ walls: [{ a: 0, b: 1, share: v, areaMm2: 40, apartMm: 1.4, at: [0, 0, 0] }] }),
      L.doubleShare,
      'doubtful',
      'unsound',
    ],
    [
      'seenThrough',
      (v) => report({ conflicts: [{ a: 0, b: 1, share: v, areaMm2: 9 }] }),
      L.conflictDoubtful,
      'sound',
      'doubtful',
    ],
    [
      'seenThrough',
      (v) => report({ conflicts: [{ a: 0, b: 1, share: v, areaMm2: 9 }] }),
      L.conflictUnsound,
      'doubtful',
      'unsound',
    ],
    [
      'ruledOut',
      (v) => report({ ruledOut: [{ a: 0, b: 1, places: 12, looked: 12 / v, areaMm2: 9 }] }),
      L.ruledOutDoubtful,
      'sound',
      'doubtful',
    ],
    [
      'ruledOut',
      (v) => report({ ruledOut: [{ a: 0, b: 1, places: 12, looked: 12 / v, areaMm2: 9 }] }),
      L.ruledOutUnsound,
      'doubtful',
      'unsound',
    ],
    [
      'tension',
      (v) => report({ tensions: [{ ...report().tensions[0], wantsMm: v }] }),
      T * L.tensionSound,
      'sound',
      'doubtful',
    ],
    [
      'tension',
      (v) => report({ tensions: [{ ...report().tensions[0], wantsMm: v }] }),
      T * L.tensionUnsound,
      'doubtful',
      'unsound',
    ],
  ])('%s', (id, at, limit, below, above) => {
    for (const [factor, want] of [
      [low, below],
      [high, above],
    ] as const) {
      const r = at(limit * factor)
      expect(verdictsFrom(evidenceOf(r))[id]).toBe(want)
      // The finding says the same, or nothing where there is nothing to say; nothing else is upset.
      expect(finding(r, id)?.verdict ?? 'sound').toBe(want)
      expect(findings(r).filter((f) => f.id !== `join.${id}` && f.verdict !== 'sound')).toEqual([])
      expect(verdictFrom(evidenceOf(r))).toBe(worst(findings(r)))
    }
  })
  test('other limits give other verdicts, from the same numbers', () => {
    const e = evidenceOf(withPair({ share: 0.3 }))
    expect(verdictFrom(e)).toBe('sound')
    expect(verdictFrom(e, { ...JOIN_LIMITS, overlap: 0.4 })).toBe('doubtful')
    expect(verdictFrom(e, { ...JOIN_LIMITS, noOverlap: 0.4 })).toBe('unsound')
  })
  test('evidence is kept as JSON: what is free is a very large number', () => {
    const e = evidenceOf(report({ slides: { ...report().slides, modes: [slide({ free: true, playMm: Infinity })] } }))
    expect(JSON.parse(JSON.stringify(e)) as JoinEvidence).toEqual(e)
    expect(verdictFrom(e)).toBe('unsound')
  })
  test('scatter under a seventh of the tolerance is none: very exact points may agree a little less exactly', () => {
    expect(finding(withPair({ rmsMm: 0.1, expectedMm: 0.01 }), 'residual')!.verdict).toBe('sound')
    expect(finding(withPair({ rmsMm: 0.3, expectedMm: 0.01 }), 'residual')!.verdict).toBe('doubtful')
  })
})

describe('what is not a join', () => {
  test('a take that found no place is named', () => {
    const r = report({ motions: [identityMotion(), null] })
    expect(finding(r, 'lost')).toMatchObject({ verdict: 'unsound', nextMove: 'Pick pairs for it' })
    expect(finding(r, 'lost')!.text).toMatch(/^“side” found no place: its shape shows no surface the others have too/)
    expect(finding(report({ motions: [identityMotion(), null, null] }), 'lost')!.text).toMatch(
      /^“side” and “third” found no place: their shapes show/,
    )
    expect(verdictsFrom(evidenceOf(r)).lost).toBe('unsound')
  })
  test('no pair at all, and a link whose pair shares nothing', () => {
    const none = report({
      pairs: [],
      tree: [],
      tensions: [],
      slides: { modes: [], playMm: Infinity, pairPlayMm: [], pairFree: [], inflation: [] },
    })
    expect(finding(none, 'overlap')!.text).toMatch(/^Some takes have hardly any surface in common with the rest/)
    expect(finding(none, 'residual')!.text).toBe('No two takes meet anywhere.')
    expect(worst(findings(none))).toBe('unsound')
    expect(
      evidenceOf(
        report({
          tree: [
            [0, 1],
            [1, 2],
          ],
        }),
      ).overlap,
    ).toBe(0)
  })
  test('of several links the thinnest counts, and a pair that is no link does not', () => {
    const r = report({
      motions: [identityMotion(), identityMotion(), identityMotion()],
      tree: [
        [0, 1],
        [2, 1],
      ],
      pairs: [
        { a: 0, b: 1, shared: shared() },
        { a: 1, b: 2, shared: shared({ share: 0.3 }) },
        { a: 0, b: 2, shared: shared({ share: 0.06 }) },
      ],
      slides: { ...report().slides, pairPlayMm: [0.1, 0.1, 0.1], pairFree: [0, 0, 0] },
    })
    expect(finding(r, 'overlap')).toMatchObject({ verdict: 'sound' })
    expect(finding(r, 'overlap')!.text).toBe(
      '“side” and “third” share 30 % of their surface (42 cm²), the least of the links that hold the takes together.',
    )
  })
})

describe('other poses', () => {
  test('one that fits as well is unsound, whatever meets on less', () => {
    const r = report({ alternatives: [other({ asWell: false, share: 0.4, turnDeg: 90 }), other()] })
    expect(finding(r, 'alike')).toMatchObject({ verdict: 'unsound', nextMove: 'Settle it with a pick' })
    expect(finding(r, 'alike')!.text).toMatch(/^“side” and “upright” fit in more than one way: also turned by 180°\./)
    expect(finding(r, 'alike')!.figures).toHaveLength(1)
    expect(tellablePoses(r)).toHaveLength(2)
  })
  test('one that meets on less and that nothing contradicts is doubtful, and said in other words', () => {
    const r = report({ alternatives: [other({ asWell: false, share: 0.36 })] })
    expect(finding(r, 'alike')!.text).toMatch(
      /^“side” and “upright” meet on most of their surface as taken, but nothing contradicts them turned by 180° either, where they meet on less/,
    )
    expect(finding(r, 'alike')!.figures![0].value).toBe('60 % / 36 % shared, 0.200 mm / 0.200 mm')
    expect(tellablePoses(report({ alternatives: [other({ asWell: false, share: 0.2 })] }))).toEqual([])
  })
  test('nearer than the tolerance it is the same pose', () => {
    expect(finding(report({ alternatives: [other({ farMm: 0.9 })] }), 'alike')!.verdict).toBe('sound')
  })
  test.each<[Partial<Alternative>[], string]>([
    [[{ ruledOutBy: 'colours' }], 'By shape another pose fits as well, but the colours rule it out.'],
    [
      [{ ruledOutBy: 'marks' }, { ruledOutBy: 'colours' }],
      'By shape 2 other poses fit as well, but your marks and the colours rule them out.',
    ],
    [
      [{ ruledOutBy: 'marks', asWell: false, share: 0.4 }],
      'By shape another pose is possible, but your marks rule it out.',
    ],
    [
      [
        { ruledOutBy: 'colours', asWell: false, share: 0.4 },
        { ruledOutBy: 'colours', asWell: false, share: 0.5 },
      ],
      'By shape 2 other poses are possible, but the colours rule them out.',
    ],
    [[{ ruledOutBy: 'colours', asWell: false, share: 0.1 }], 'No other pose fits as well.'],
  ])('ruled out: %j', (poses, text) => {
    expect(finding(report({ alternatives: poses.map(other) }), 'alike')).toMatchObject({ verdict: 'sound', text })
  })
  test('a turn is told in degrees, a shift in millimetres', () => {
    expect([
      alternativeWords({ turnDeg: 179.6, shiftMm: 40 }),
      alternativeWords({ turnDeg: 0.4, shiftMm: 12.04 }),
    ]).toEqual(['turned by 180°', 'shifted by 12.0 mm'])
  })
})

describe('what slides', () => {
  const free = (over: Partial<FreeMotion>, alternatives: Alternative[] = []): JoinReport =>
    report({ alternatives, slides: { ...report().slides, modes: [slide({ free: true, playMm: Infinity, ...over })] } })
  test('a slab wants a keystone take; a round piece a mark', () => {
    expect(finding(free({ boundMm: 18 }), 'slide')).toMatchObject({
      verdict: 'unsound',
      nextMove: 'Plan a keystone take',
    })
    expect(finding(free({ boundMm: 18 }), 'slide')!.text).toMatch(
      /^“side” can slide up and down against “upright”, by up to 18 mm: nothing they share holds that\. A keystone take/,
    )
    const round = free({ kind: 'rotation' }, [other({ motion: rotationMotion([0, 0, 1], 1) })])
    expect(isRound(round)).toBe(true)
    expect(finding(round, 'slide')).toMatchObject({ nextMove: 'Settle it with a pick' })
    expect(finding(round, 'slide')!.text).toContain('The piece is round there')
    // About another axis, ruled out, or only possible: not round.
    for (const not of [
      other({ motion: rotationMotion([1, 0, 0], 1) }),
      other({ motion: rotationMotion([0, 0, 1], 1), ruledOutBy: 'marks' }),
      other({ motion: rotationMotion([0, 0, 1], 1), asWell: false }),
    ])
      expect(isRound(free({ kind: 'rotation' }, [not]))).toBe(false)
  })
  test('loosely held is told with how much of the tolerance', () => {
    expect(
      finding(report({ slides: { ...report().slides, modes: [slide({ kind: 'rotation', playMm: 0.5 })] } }), 'slide')!
        .text,
    ).toBe('The takes hold loosely: “side” may turn by 0.50 mm against “upright”, of a tolerance of 1.00 mm.')
  })
})

describe('sizes, rings, marks', () => {
  const sizes = (scale: number, scaleSigma: number): JoinReport =>
    report({
      pairs: [
        { a: 0, b: 1, shared: shared({ points: Float32Array.from({ length: 93 }, (_, i) => (i >= 90 ? 100 : 0)) }) },
      ],
      tensions: [{ a: 0, b: 1, wantsMm: 0, twist: new Float64Array(6), scale, scaleSigma }],
    })
  test('a difference in size counts where it is sure and matters: over a third of the tolerance across the piece', () => {
    // Half of 173 mm across: 0.4 % of it is 0.35 mm.
    expect(finding(sizes(0.004, 0.0005), 'scale')).toMatchObject({
      verdict: 'doubtful',
      text: '“side” is 0.40 % larger than “upright”: a device that is warm, or due for calibration.',
    })
    expect(finding(sizes(-0.004, 0.0005), 'scale')!.text).toMatch(/^“upright” is 0\.40 % larger than “side”/)
    expect(finding(sizes(0.004, 0.0011), 'scale')).toBeUndefined()
    expect(finding(sizes(0.0037, 0.0005), 'scale')).toBeUndefined()
  })
  test('rings are told with what a chain would leave', () => {
    expect(finding(report({ closing: { rings: 2, beforeMm: 0.31, afterMm: 0.02 } }), 'closing')!.text).toBe(
      'Round the rings of takes, a chain would be 0.310 mm off where it closes; spread over all, no pair is asked for more than 0.020 mm.',
    )
  })
  test('marks that do not come together although the surfaces do', () => {
    expect(finding(report({ marks: { count: 3, rmsMm: 4, rmsSigmas: 4.1 } }), 'marks')).toMatchObject({
      verdict: 'doubtful',
      nextMove: 'Look at the picks',
    })
    expect(finding(report({ marks: { count: 3, rmsMm: 4, rmsSigmas: 3.9 } }), 'marks')).toBeUndefined()
  })
})

test('a pair by itself: play, overlap, double walls, what is in the way and what is ruled out', () => {
  const of = (r: JoinReport): Verdict => pairVerdict(r, 0).verdict
  const play = (mm: number): JoinReport => report({ slides: { ...report().slides, pairPlayMm: [mm] } })
  const wall = (share: number): JoinReport =>
    report({ walls: [{ a: 0, b: 1, share, areaMm2: 4, apartMm: 2, at: [0, 0, 0] }] })
  const way = (share: number): JoinReport => report({ conflicts: [{ a: 0, b: 1, share, areaMm2: 4 }] })
  const ruled = (places: number, looked: number): JoinReport =>
    report({ ruledOut: [{ a: 0, b: 1, places, looked, areaMm2: 4 }] })
  expect([ruled(12, 8001), ruled(12, 7999), ruled(12, 2999), ruled(11, 1000)].map(of)).toEqual([
    'sound',
    'doubtful',
    'unsound',
    'sound',
  ])
  expect([of(report()), of(play(0.4)), of(play(1.1)), of(play(Infinity))]).toEqual([
    'sound',
    'doubtful',
    'unsound',
    'unsound',
  ])
  expect([of(withPair({ share: 0.1 })), of(withPair({ share: 0.04 }))]).toEqual(['doubtful', 'unsound'])
  expect([of(wall(0.005)), of(wall(0.02)), of(way(0.02)), of(way(0.05))]).toEqual([
    'doubtful',
    'unsound',
    'doubtful',
    'unsound',
  ])
})
