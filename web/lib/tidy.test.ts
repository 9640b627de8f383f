import { afterEach, describe, expect, test } from 'vitest'
import { EMPTY_BRIEF, type Brief } from '@holosoma/core/brief'
import type { PieceState, StepRecord, TakeState } from '@holosoma/engine'
import { NEW_TAKE } from '@holosoma/core/plan'
import { planeFor } from './cut-plane'
import { emptyState, emptyStep } from './empty-state'
import { rowsOf, shownTakes, takeInHand } from './on-stage'
import { PIGMENTS, pigmentOf } from './pigments'
import { attemptInTurn, useDesk } from './store'
import { knownOf, proposalFor, recipeOf } from './tidying'

const take = (id: number, over: Partial<TakeState> = {}): TakeState => ({
  id,
  name: `take ${id}`,
  pose: '',
  ordinal: id,
  fixed: id === 1,
  locked: false,
  hidden: false,
  inJoin: true,
  inSkin: true,
  keepBase: false,
  pigment: null,
  stepId: id,
  shape: { hash: `h${id}`, kind: 'cloud', points: 10, faces: 0, bounds: null, previewHash: null, thumbHash: null },
  ...over,
})
const step = (id: number, operation: string, over: Partial<StepRecord> = {}): StepRecord =>
  emptyStep(operation, { id, track: 'take:1', ...over })
const stateWith = (steps: StepRecord[], takes = [take(1)]) =>
  emptyState('Lamp', { takes, steps, activeSteps: steps.map((s) => s.id) })
const before = useDesk.getState()
afterEach(() => useDesk.setState(before))

describe('what is known of a take', () => {
  test('one from the bench: how it was held, its device’s table, frames and colours', () => {
    const state = stateWith([step(1, 'take.simulate', { params: { take: { ...NEW_TAKE, support: 'putty' } } })])
    expect(knownOf(state, state.takes[0])).toMatchObject({
      planned: { support: 'putty' },
      deviceTable: true,
      bench: false,
      has: { frames: true, colours: true },
    })
    expect(proposalFor(state, state.takes[0]).map((s) => s.operation)).toContain('tidy.removeHolder')
  })
  test('a file: only what its figures say', () => {
    const plain = stateWith([step(1, 'take.import', { figures: { colours: false } })])
    expect(knownOf(plain, plain.takes[0])).toMatchObject({
      planned: null,
      deviceTable: false,
      has: { frames: false, colours: false },
    })
    const framed = stateWith([step(1, 'take.import', { figures: { colours: true, frames: 12 } })])
    expect(knownOf(framed, framed.takes[0]).has).toEqual({ frames: true, colours: true })
  })
  test('each take first, at one common spacing, where the brief says so: that of the coarsest, for those that are finer', () => {
    const of = (id: number, spacingMm: number): StepRecord =>
      step(id, 'take.import', { track: `take:${id}`, figures: { spacingMm } })
    const takes = [take(1), take(2), take(3)]
    const plain = stateWith([of(1, 0.3), of(2, 0.8), of(3, 0.78)], takes)
    const asked = (choices: NonNullable<Brief['choices']>, detailMm = 1.2) => ({
      ...plain,
      brief: { content: { ...EMPTY_BRIEF, detailMm, choices }, stepId: 9, revision: 1 },
    })
    const thinned = (state: PieceState): unknown[] =>
      state.takes.map((t) => proposalFor(state, t).find((s) => s.operation === 'tidy.thin')?.params ?? null)
    expect(thinned(plain)).toEqual([null, null, null])
    expect(thinned(asked({ fuse: 'allFrames' }) as PieceState)).toEqual([null, null, null])
    expect(thinned(asked({ fuse: 'eachFirst' }) as PieceState)).toEqual([{ spacingMm: 0.8 }, null, null])
    // Where all are finer than the detail asks, what it asks is enough.
    expect(thinned(asked({ fuse: 'eachFirst' }, 6) as PieceState)).toEqual([
      { spacingMm: 2 },
      { spacingMm: 2 },
      { spacingMm: 2 },
    ])
  })
  test('its recipe: tidy acts that stand, none by hand, none that was undone, without the names of its join', () => {
    const steps = [
      step(1, 'take.import'),
      step(2, 'tidy.trimTable', { params: { offsetMm: 1 } }),
      step(3, 'tidy.cut'),
      step(4, 'tidy.trimPlane', { params: { normal: [0, 0, 1], offsetMm: 3, names: ['a', 'b'] } }),
      step(5, 'tidy.thin'),
    ]
    const state = { ...stateWith(steps), activeSteps: [1, 2, 3, 4] }
    expect(recipeOf(state, state.takes[0])).toEqual([
      { operation: 'tidy.trimTable', params: { offsetMm: 1 } },
      { operation: 'tidy.trimPlane', params: { normal: [0, 0, 1], offsetMm: 3 } },
    ])
  })
})

describe('what stands on the stage', () => {
  test('the chosen take, or the first; all that show, or the one that is alone', () => {
    useDesk.setState({
      state: stateWith([], [take(1), take(2, { hidden: true }), take(3)]),
      selectedTake: null,
      solo: null,
    })
    expect(takeInHand()!.id).toBe(1)
    useDesk.setState({ selectedTake: 3 })
    expect(takeInHand()!.id).toBe(3)
    expect(shownTakes().map((t) => t.id)).toEqual([1, 3])
    useDesk.setState({ solo: 2 })
    expect(shownTakes().map((t) => t.id)).toEqual([2])
  })
  test('joined takes lie as joined only where several are worked on, and not when the join has fallen', () => {
    const rows = [
      [1, 0, 0, 5],
      [0, 1, 0, 0],
      [0, 0, 1, 0],
      [0, 0, 0, 1],
    ]
    const state = {
      ...stateWith([], [take(1)]),
      join: {
        step: step(9, 'join.match'),
        motions: { 'take 1': rows },
        stale: false,
        accepted: null,
        calledThen: {},
        renamed: [],
        placed: [],
      },
    }
    useDesk.setState({ state, choosing: { ...before.choosing, across: true } })
    expect(rowsOf(state.takes[0])).toBe(rows)
    useDesk.setState({ choosing: { ...before.choosing, across: false } })
    expect(rowsOf(state.takes[0])).toBeNull()
    useDesk.setState({
      choosing: { ...before.choosing, across: true },
      state: {
        ...state,
        join: { ...state.join, stale: true, accepted: null, calledThen: {}, renamed: [], placed: [] },
      },
    })
    expect(rowsOf(state.takes[0])).toBeNull()
  })
})

test('a plane of the stage in a take’s own coordinates: turned and shifted, the same points lie on it', () => {
  // A quarter turn about z and a shift: (x, y, z) → (−y + 10, x, z + 2).
  const rows = [
    [0, -1, 0, 10],
    [1, 0, 0, 0],
    [0, 0, 1, 2],
    [0, 0, 0, 1],
  ]
  const plane = { normal: [0.6, 0, 0.8] as const, offsetMm: 7, from: '' }
  const own = planeFor(plane, rows)
  for (const [x, y, z] of [
    [3, 4, 5],
    [-1, 2, 0],
  ] as const) {
    const there = plane.normal[0] * (-y + 10) + plane.normal[1] * x + plane.normal[2] * (z + 2) - plane.offsetMm
    expect(own.normal[0] * x + own.normal[1] * y + own.normal[2] * z - own.offsetMm).toBeCloseTo(there, 12)
  }
  expect(planeFor(plane, null)).toEqual({ normal: [0.6, 0, 0.8], offsetMm: 7 })
})

test('a take’s pigment is its number’s until one is chosen for it', () => {
  expect(pigmentOf({ ordinal: 2, pigment: null }).name).toBe(PIGMENTS[1][0])
  expect(pigmentOf({ ordinal: 2, pigment: 0 }).name).toBe(PIGMENTS[0][0])
})

test('of two quick clicks the second waits for the first, even when the first takes longer or is refused', async () => {
  const heard: string[] = []
  const slow = attemptInTurn(async () => {
    await new Promise((r) => setTimeout(r, 30))
    heard.push('first')
    throw new Error('Refused.')
  })
  const quick = attemptInTurn(async () => {
    await Promise.resolve()
    heard.push('second')
  })
  await Promise.all([slow, quick])
  expect(heard).toEqual(['first', 'second'])
})
