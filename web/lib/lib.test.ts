import { describe, expect, test } from 'vitest'
import type { Finding } from '@holosoma/core'
import type { PieceState, StepRecord } from '@holosoma/engine'
import { emptyResult, emptyState, emptyStep } from './empty-state'
import { clock, figureText, megabytes, percent, short } from './format'
import { bestNextPick, enoughPicked, fitPairs, pairsBetween, pairsOf, takesToPick } from './picks'
import { pigment, PIGMENTS } from './pigments'
import { nextMove, stops } from '@/stations/road'

test('numbers in the words of the bench', () => {
  expect([short(820), short(56_600), short(1_310_000)]).toEqual(['820', '57 k', '1.31 M'])
  expect([clock(14), clock(125.4), clock(-3)]).toEqual(['0:14', '2:05', '0:00'])
  expect([megabytes(100), megabytes(70 * 2 ** 20), megabytes(3 * 2 ** 30)]).toEqual([
    'less than 1 MB',
    '70 MB',
    '3.0 GB',
  ])
  expect(percent(0.9432)).toBe('94.3 %')
  expect([
    figureText('tableRmsMm', 0.041662),
    figureText('before', 152068),
    figureText('areaMm2', 16011.77),
    figureText('elevationDeg', 48),
  ]).toEqual(['table rms 0.04166 mm', 'before 152,068', 'area 16011.8 mm²', 'elevation 48 °'])
})

test('pigments: twelve, never a verdict colour, and they come round again', () => {
  expect(new Set(PIGMENTS.map((p) => p[1])).size).toBe(12)
  expect(pigment(13)).toEqual(pigment(1))
  for (const verdict of ['#2B7A70', '#B9771E', '#9E3340', '#1769AA'])
    expect(PIGMENTS.map((p) => p[1])).not.toContain(verdict)
})

describe('picks', () => {
  const pin = (takeId: number, ...at: number[]) => ({ takeId, at: at as unknown as readonly [number, number, number] })
  const pair = (i: number, shift = 5) => ({ a: pin(1, i, i * i, 0), b: pin(2, i + shift, i * i, 0) })
  test('the live fit appears with the third whole pair and leaves half pairs out', () => {
    expect(fitPairs([pair(0), pair(1)])).toBeNull()
    expect(fitPairs([pair(0), pair(1), { a: pin(1, 3, 3, 3), b: null }])).toBeNull()
    const fit = fitPairs([pair(0), { a: null, b: pin(2, 9, 9, 9) }, pair(1), pair(2)])!
    expect(fit.rmsMm).toBeCloseTo(0, 9)
    expect(fit.residualMm[1]).toBeUndefined()
    // The second take is laid on the first: back by the five millimetres it lies farther.
    fit.rows!.flat().forEach((v, i) => expect(v).toBeCloseTo([1, 0, 0, -5, 0, 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1][i], 9))
  })
  test('picks on one line are said, not thrown', () => {
    const line = [0, 1, 2].map((i) => ({ a: pin(1, i, 0, 0), b: pin(2, i, 0, 0) }))
    expect(fitPairs(line)!.error).toContain('lie on one line')
    expect(fitPairs(line)!.rows).toBeNull()
    // Of five pairs one that was mixed up is named by its place among all pairs, half pairs too.
    const places = [
      [0, 0, 0],
      [30, 0, 0],
      [0, 30, 0],
      [0, 0, 30],
      [25, 20, 10],
    ] as const
    const five = places.map((p, i) => ({
      a: pin(1, ...p),
      b: pin(2, p[0] + 0.1 * (i % 2), p[1], p[2] - 0.1 * (i % 3)),
    }))
    expect(fitPairs(five)!.bad).toBeNull()
    const mixed = [
      five[0],
      { a: pin(1, 9, 9, 9), b: null },
      ...five.slice(1, 4),
      { a: five[4].a, b: pin(2, 5, 60, 10) },
    ]
    expect(fitPairs(mixed)!.bad).toBe(5)
    // The next pick helps where the surface lies far off the picks, and is not asked for where they cover it.
    const far = Float32Array.of(10, 10, 5, 200, 0, 0)
    expect(bestNextPick(five, far)).toEqual([200, 0, 0])
    expect(bestNextPick(five, Float32Array.of(10, 10, 5, 12, 9, 6))).toBeNull()
    expect(bestNextPick(five.slice(0, 2), far)).toBeNull()
  })
  test('the operation gets whole pairs by the takes’ names', () => {
    expect(
      pairsBetween(
        [pair(1), { a: pin(1, 0, 0, 0), b: null }],
        [
          { id: 1, name: 'upright' },
          { id: 2, name: 'side' },
        ],
      ),
    ).toEqual({ picks: [{ a: { take: 'upright', at: [1, 1, 0] }, b: { take: 'side', at: [6, 1, 0] } }], areas: [] })
    expect(
      pairsBetween(
        [{ ...pair(1), areaMm: 20 }],
        [
          { id: 1, name: 'upright' },
          { id: 2, name: 'side' },
        ],
      ),
    ).toEqual({
      picks: [],
      areas: [
        { a: { take: 'upright', at: [1, 1, 0], radiusMm: 20 }, b: { take: 'side', at: [6, 1, 0], radiusMm: 20 } },
      ],
    })
  })
  test('picks over more than two takes: who stands where, which pairs are theirs, and when there are enough', () => {
    const takes = [
      { id: 1, name: 'upright', fixed: true },
      { id: 2, name: 'side', fixed: false },
      { id: 3, name: 'top', fixed: false },
    ]
    expect(takesToPick(takes, { left: null, right: null }, null).map((t) => t.id)).toEqual([1, 2])
    expect(takesToPick(takes, { left: null, right: null }, 3).map((t) => t.id)).toEqual([1, 3])
    expect(takesToPick(takes, { left: 2, right: 3 }, null).map((t) => t.id)).toEqual([2, 3])
    expect(takesToPick(takes, { left: 2, right: 2 }, null).map((t) => t.id)).toEqual([2, 1])
    const onTop = (k: number) => ({ a: pin(2, k, 0, 0), b: pin(3, k, k, 1) })
    const pairs = [pair(0), onTop(1), pair(1), { a: pin(2, 0, 0, 0), b: null }]
    expect(pairsOf(pairs, 1, 2).map((p) => p.a !== null)).toEqual([true, false, true, false])
    expect(pairsOf(pairs, 2, 3).map((p) => p.a !== null)).toEqual([false, true, false, true])
    expect(enoughPicked([])).toBe(false)
    expect(enoughPicked([pair(0), pair(1), pair(2)])).toBe(true)
    expect(enoughPicked([pair(0), pair(1), pair(2), onTop(1)])).toBe(false)
    expect(enoughPicked([pair(0), pair(1), pair(2), { ...onTop(1), areaMm: 20 }])).toBe(true)
    expect(fitPairs([{ ...pair(0), areaMm: 9 }, pair(0), pair(1)])).toBeNull()
  })
})

describe('the route and the next move', () => {
  let id = 0
  const step = (
    track: string,
    operation: string,
    figures: StepRecord['figures'] = {},
    findings: Finding[] = [],
  ): StepRecord => emptyStep(operation, { id: ++id, track: track as StepRecord['track'], figures, findings })
  const sound: Finding = { id: 'x', verdict: 'sound', text: 'All is well.' }
  const take = (n: number, points: number, kind: 'cloud' | 'mesh' = 'cloud') => ({
    id: n,
    name: `take ${n}`,
    pose: '',
    ordinal: n,
    fixed: n === 1,
    locked: false,
    hidden: false,
    inJoin: true,
    inSkin: true,
    keepBase: false,
    pigment: null,
    stepId: n,
    shape: { hash: `h${n}`, kind, points, faces: 0, bounds: null, previewHash: null, thumbHash: null },
  })
  const state = (over: Partial<PieceState>): PieceState => {
    const steps = over.steps ?? []
    return emptyState('Lamp', { activeSteps: steps.map((s) => s.id), ...over, steps })
  }
  test('an empty piece waits for its brief', () => {
    expect(nextMove(state({}))).toMatchObject({ station: 'brief', move: 'Write the brief' })
    expect(stops(state({})).map((s) => s.verdict)).toEqual(Array(10).fill(null))
  })
  test('takes wait for tidying, then joining, then the skin', () => {
    const takes = [take(1, 500), take(2, 500)]
    const taken = [step('take:1', 'take.simulate', { points: 1000 }), step('take:2', 'take.simulate', { points: 1000 })]
    expect(nextMove(state({ takes, steps: taken })).station).toBe('tidy')
    const tried = 'tidy.removeFarFrames tidy.removeMixed tidy.removeStrays'
    const tidied = [
      ...taken,
      step('take:1', 'tidy.trimTable', { tried }, [sound]),
      step('take:2', 'tidy.trimTable', { tried }, [{ ...sound, verdict: 'doubtful' }]),
    ]
    expect(nextMove(state({ takes, steps: tidied })).station).toBe('join')
    expect(stops(state({ takes, steps: tidied }))[3]).toMatchObject({ verdict: 'doubtful', figure: '50 % off' })
    const joined = step('join', 'join.match', { p95Mm: 0.1, overlap: 0.54 }, [sound])
    const s = state({
      takes,
      steps: [...tidied, joined],
      join: { step: joined, motions: {}, stale: false, accepted: null, calledThen: {}, renamed: [], placed: [] },
    })
    expect(nextMove(s)).toMatchObject({ station: 'skin', move: 'Make the skin' })
    expect(stops(s)[4]).toMatchObject({ verdict: 'sound', figure: '0.10 mm, 54 %' })
    expect(
      stops({ ...s, join: { ...s.join!, stale: true, accepted: null, calledThen: {}, renamed: [], placed: [] } })[4],
    ).toMatchObject({ verdict: 'doubtful', figure: 'takes changed' })
  })
  test('a skin waits for its check, its size, its release; a stale one is made again', () => {
    const skin = step('result:1', 'skin.make', { spacingMm: 0.5, faces: 566_000 }, [sound])
    const mesh = (chain: StepRecord[], stale = false) =>
      state({
        takes: [take(1, 500)],
        steps: chain,
        mesh: emptyResult(chain, { shape: take(9, 10, 'mesh').shape, stale }),
      })
    expect(nextMove(mesh([skin])).station).toBe('mend')
    const checked = [skin, step('result:1', 'mend.health', { closed: true, holes: 0 }, [sound])]
    expect(nextMove(mesh(checked)).station).toBe('size')
    const sized = [...checked, step('result:1', 'size.scale', { factor: 0.99801 }, [sound])]
    expect(nextMove(mesh(sized)).station).toBe('release')
    expect(
      stops(mesh(sized))
        .slice(5)
        .map((s) => s.figure),
    ).toEqual(['0.5 mm, 566 k', 'closed', '', '× 0.99801', ''])
    expect(nextMove(mesh(sized, true))).toMatchObject({ station: 'skin', move: 'Make the skin again' })
  })
  test('what is computing is what the piece waits for', () => {
    const job = {
      id: 1,
      pieceId: 1,
      track: 'join' as const,
      title: 'Matching the takes',
      request: { kind: 'operation' as const, operation: 'join.match', params: {}, inputs: {} },
      state: 'running' as const,
      progress: 0.4,
      note: '',
      expectedSeconds: null,
      error: null,
      attempt: 1,
      cancel: false,
      hold: 'none' as const,
      who: 'test',
      stepId: null,
      startedAt: null,
      endedAt: null,
    }
    expect(nextMove(state({ jobs: [job] }))).toMatchObject({ station: 'join', text: 'Matching the takes: 40 %.' })
  })
})
