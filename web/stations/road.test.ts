import { describe, expect, test } from 'vitest'
import type { PieceState, StepRecord } from '@holosoma/engine'
import type { Verdict } from '@holosoma/core/findings'
import { emptyState, emptyStep } from '@/lib/empty-state'
import { frameCount, framesPlaced } from '@/lib/chain'
import { nextMove, stops } from './road'

type Join = NonNullable<PieceState['join']>
const step = (over: Partial<StepRecord>): StepRecord => emptyStep('join.match', { track: 'join', ...over })
/** A join whose findings have these verdicts, in order, each saying its own. */
const join = (verdicts: readonly Verdict[], told: Record<string, unknown> = {}, over: Partial<Join> = {}): Join => ({
  step: step({
    figures: { p95Mm: 0.123, overlap: 0.54 },
    details: { pairs: [], links: [], slides: [], alternatives: [], ...told },
    findings: verdicts.map((verdict, i) => ({ id: `f${i}`, verdict, text: `${verdict} ${i}` })),
  }),
  motions: {},
  calledThen: {},
  renamed: [],
  placed: [],
  stale: false,
  accepted: null,
  ...over,
})
const take = (id: number) =>
  ({
    id,
    name: `take ${id}`,
    ordinal: id,
    shape: { hash: `h${id}`, kind: 'cloud', points: 100 },
  }) as unknown as PieceState['takes'][number]
const state = (j: Join): PieceState => emptyState('Piece', { takes: [take(1), take(2)], join: j })
const stop = (j: Join) => stops(state(j)).find((s) => s.station === 'join')!

describe('the one figure of a join', () => {
  const slide = (free: boolean) => ({ free, movers: [], stayers: [] }),
    pose = (asWell: boolean) => ({ turnDeg: 180, asWell, movers: [], stayers: [] })
  test.each<[string, Join, string]>([
    ['fits, and how well', join(['sound']), '0.12 mm, 54 %'],
    ['slides', join(['unsound'], { slides: [slide(true), slide(false)] }), 'slides'],
    [
      'slides in many ways, whatever looks alike',
      join(['unsound'], { slides: [slide(true), slide(true)], alternatives: [pose(true)] }),
      '2 ways to slide',
    ],
    [
      'one look-alike; possible poses do not count beside it',
      join(['unsound'], { alternatives: [pose(true), pose(false)] }),
      'a look-alike',
    ],
    ['two look-alikes', join(['unsound'], { alternatives: [pose(true), pose(true)] }), '2 look-alikes'],
    ['only possible poses', join(['doubtful'], { alternatives: [pose(false), pose(false)] }), 'another pose?'],
    [
      'accepted against advice',
      join(['unsound'], { slides: [slide(true)] }, { accepted: 'the handle fits by hand' }),
      'accepted',
    ],
    ['older than its takes', join(['sound'], {}, { stale: true }), 'takes changed'],
  ])('%s', (_what, j, figure) => expect(stop(j).figure).toBe(figure))
  test('its verdict is the worst of its findings; stale or accepted it is doubtful', () => {
    expect([
      stop(join(['sound', 'doubtful', 'sound'])).verdict,
      stop(join(['doubtful', 'unsound'])).verdict,
      stop(join([])).verdict,
    ]).toEqual(['doubtful', 'unsound', 'sound'])
    expect([
      stop(join(['unsound'], {}, { accepted: 'so it is' })).verdict,
      stop(join(['sound'], {}, { stale: true })).verdict,
    ]).toEqual(['doubtful', 'doubtful'])
  })
})

describe('what a joined piece waits for', () => {
  test('the worst finding speaks; an unsound join is looked at before a skin is made over it', () => {
    expect(nextMove(state(join(['sound', 'doubtful', 'doubtful'])))).toEqual({
      text: 'doubtful 1',
      move: 'Make the skin',
      station: 'skin',
    })
    expect(nextMove(state(join(['sound', 'doubtful', 'unsound'])))).toEqual({
      text: 'unsound 2',
      move: 'Look at the join',
      station: 'join',
    })
    expect(nextMove(state(join(['unsound'], {}, { accepted: 'so it is' })))).toMatchObject({ move: 'Make the skin' })
    expect(nextMove(state(join(['sound'])))).toMatchObject({ text: 'sound 0', move: 'Make the skin' })
  })
})

describe('what is known of a take’s frames', () => {
  const taken = (over: Partial<StepRecord>): PieceState =>
    emptyState('Piece', {
      takes: [take(1)],
      steps: [step({ track: 'take:1', operation: 'take.import', ...over })],
      activeSteps: [1],
    })
  test('how many: as the bench listed them, or as the file told; none where neither did', () => {
    expect(frameCount(taken({ operation: 'take.simulate', figures: { frames: 3 } }), 1)).toBe(3)
    expect(frameCount(taken({ figures: { frames: 12 } }), 1)).toBe(12)
    expect(frameCount(taken({}), 1)).toBe(0)
    expect(frameCount(taken({ figures: { frames: 12 } }), 2)).toBe(0)
  })
  test('placed by a table, unless the device was held in the hand', () => {
    expect(framesPlaced(taken({ operation: 'take.simulate', params: { device: { hold: 'hand' } } }), 1)).toBe('free')
    expect(framesPlaced(taken({ operation: 'take.simulate', params: { device: { hold: 'stand' } } }), 1)).toBe('table')
    expect(framesPlaced(taken({}), 1)).toBe('table')
  })
})
