import { describe, expect, test } from 'vitest'
import { operationNamed, operationNames } from '@holosoma/core'
import { EMPTY_BRIEF, requirementsOf, type Brief } from '@holosoma/core/brief'
import type { PieceState, TakeState } from '@holosoma/engine'
import { emptyResult, emptyState, emptyStep } from '@/lib/empty-state'
import { jobByDeclaration } from './by-declaration'
import type { Asked } from './request'
import { RULES } from './rules'

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
  shape: {
    hash: `h${id}`,
    kind: 'cloud',
    points: 10,
    faces: 0,
    bounds: { min: [0, 0, 0], max: [1, 1, 1] },
    previewHash: null,
    thumbHash: null,
  },
  ...over,
})
const asMesh = (t: TakeState): TakeState => ({ ...t, shape: { ...t.shape!, kind: 'mesh' } })
const rows = [
  [1, 0, 0, 0],
  [0, 1, 0, 0],
  [0, 0, 1, 0],
  [0, 0, 0, 1],
]
const joined = (over: Partial<NonNullable<PieceState['join']>> = {}): NonNullable<PieceState['join']> => ({
  step: emptyStep('join.match', { track: 'join', outputs: { motions: 'm' }, figures: { verdict: 'doubtful' } }),
  motions: { 'take 1': rows, 'take 2': rows },
  calledThen: { 1: 'take 1', 2: 'take 2', 3: 'take 3' },
  renamed: [],
  placed: [],
  stale: false,
  accepted: null,
  ...over,
})
const two = (over: Partial<PieceState> = {}): PieceState =>
  emptyState('Lamp', { takes: [take(1), take(2)], ...(over.join && { goesIn: [1, 2] }), ...over })
const job = (state: PieceState, asked: Partial<Asked> & { operation: string }) =>
  jobByDeclaration(operationNamed(asked.operation), RULES[asked.operation] ?? {}, state, { params: {}, ...asked })

describe('what a declaration says of its inputs is what the job gets', () => {
  test('an act on a take: its points, its track, its name', () =>
    expect(job(two(), { operation: 'tidy.thin', takeId: 2, params: { spacingMm: 1 } })).toEqual({
      track: 'take:2',
      title: 'Tidying “take 2”',
      request: {
        kind: 'operation',
        operation: 'tidy.thin',
        params: { spacingMm: 1, count: null },
        inputs: { take: 'h2' },
      },
    }))
  test('the other takes come along where all are joined as they stand, and only there', () => {
    const cut = { operation: 'tidy.trimPlane', takeId: 2, params: { normal: [0, 0, 1], offsetMm: 0 } }
    expect(job(two({ join: joined() }), cut).request).toMatchObject({
      inputs: { take: 'h2', others: ['h1'], motions: 'm' },
      params: { names: ['take 2', 'take 1'] },
    })
    for (const state of [two(), two({ join: joined({ stale: true }) }), two({ join: joined({ motions: {} }) })])
      expect(job(state, cut).request).toMatchObject({ inputs: { take: 'h2' } })
  })
  test('takes that are left out are not matched; those that have no place do not go into the skin', () => {
    const three = two({
      takes: [take(1), take(2), take(3, { inJoin: false })],
      join: joined({ motions: { 'take 1': rows } }),
      goesIn: [1],
    })
    expect(job(three, { operation: 'join.match' }).request).toMatchObject({ inputs: { of: ['1', '2'] } })
    expect(job(three, { operation: 'skin.make', params: { spacingMm: 1 } }).request).toMatchObject({
      inputs: { takes: ['h1'], of: ['1'] },
      params: { names: ['take 1'] },
    })
    expect(job(three, { operation: 'take.complete' }).request).toMatchObject({ inputs: { of: ['1', '2'] } })
  })
  test('takes of a pose that are matched as one keep their places to each other', () => {
    const asked = { operation: 'join.match', params: { together: ['take 1', 'take 2', 'nobody'] } }
    expect(job(two({ join: joined() }), asked).request).toMatchObject({ params: { groups: [['take 1', 'take 2']] } })
  })
  test('who the takes are goes beside what they are', () =>
    expect(job(two(), { operation: 'join.match' }).request).toMatchObject({
      inputs: { takes: ['h1', 'h2'], of: ['1', '2'] },
      params: { names: ['take 1', 'take 2'], fixed: 'take 1', initial: {}, groups: [] },
    }))
  test('a join begins where the last one left off, but for takes picked on anew and by shape', () => {
    const state = two({ join: joined(), takes: [take(1), take(2, { locked: true }), take(3)] })
    const initial = (params: Asked['params']) =>
      (job(state, { operation: 'join.match', params }).request as { params: Record<string, unknown> }).params
    expect(initial({})).toMatchObject({
      initial: { 'take 1': rows, 'take 2': rows },
      groups: [['take 1', 'take 2']],
    })
    const at = { take: 'take 1', at: [0, 0, 0] }
    expect(initial({ picks: [{ a: at, b: { ...at, take: 'take 2' } }] })).toMatchObject({
      initial: { 'take 1': rows },
      groups: [],
    })
    expect(initial({ byShape: true })).toMatchObject({ initial: {} })
  })
  test('edges: the takes the skin is made of, upright as it is; not on one that was sized, adopted or overtaken', () => {
    const made = emptyStep('skin.make', { params: { names: ['take 1', 'take 2'], up: [0, 1, 0] } })
    const on = (chain: Parameters<typeof emptyResult>[0], stale = false) =>
      two({ join: joined(), mesh: emptyResult(chain, { stale }) })
    const asked = { operation: 'skin.edges', params: { choice: 'strong' } }
    expect(job(on([made]), asked)).toMatchObject({
      track: 'result:1',
      request: {
        inputs: { takes: ['h1', 'h2'], motions: 'm', mesh: 'skin' },
        params: { names: ['take 1', 'take 2'], up: [0, 1, 0], choice: 'strong' },
      },
    })
    for (const state of [on([made, emptyStep('size.scale')]), on([emptyStep('skin.adopt')]), on([made], true)])
      expect(() => job(state, asked)).toThrow(/make the skin again with its edges/)
  })
  test('the skin: joined takes with their motions; a mesh taken as the skin; acts on the skin as it stands', () => {
    const made = job(two({ join: joined() }), { operation: 'skin.make', params: { spacingMm: 1 } })
    // The first one begins a result; made again it takes the place of the last, unless it is to stand beside it.
    expect(made).toMatchObject({ track: null, request: { inputs: { takes: ['h1', 'h2'], motions: 'm' } } })
    const of = (operation: string) => emptyResult([emptyStep(operation)], { id: 7 })
    const again = { operation: 'skin.make', params: { spacingMm: 1 } }
    expect(job(two({ join: joined(), mesh: of('skin.make') }), again).track).toBe('result:7')
    expect(job(two({ join: joined(), mesh: of('skin.make') }), { ...again, beside: true }).track).toBeNull()
    expect(job(two({ join: joined(), mesh: of('skin.adopt') }), again).track).toBeNull()
    const mesh = emptyState('Lamp', { takes: [asMesh(take(1, { locked: true }))] })
    expect(job(mesh, { operation: 'skin.adopt', takeId: 1 })).toMatchObject({
      track: null,
      title: 'Checking “take 1”',
      request: { inputs: { mesh: 'h1' } },
    })
    const skin = two({ mesh: of('skin.make') })
    expect(job(skin, { operation: 'mend.health' })).toMatchObject({
      track: 'result:7',
      request: { inputs: { mesh: 'skin' } },
    })
    expect(job(skin, { operation: 'size.scale', params: { factor: 2 } }).request).toMatchObject({
      inputs: { shape: 'skin' },
      output: 'mesh',
    })
  })
  test('a selection is what is chosen, not a parameter', () => {
    const { request } = job(two(), { operation: 'tidy.cut', takeId: 1, params: { selection: 's', by: 'by lasso' } })
    expect(request).toMatchObject({
      inputs: { take: 'h1', selection: 's' },
      params: { by: 'by lasso', names: ['take 1'] },
    })
  })
})

test.each<[string, PieceState, Partial<Asked> & { operation: string }, RegExp]>([
  ['a take that is not here', two(), { operation: 'tidy.thin', takeId: 9 }, /That take is not here/],
  ['a locked take', two({ takes: [take(1, { locked: true })] }), { operation: 'tidy.smooth', takeId: 1 }, /is locked/],
  ['no bench', two(), { operation: 'tidy.subtractBench', takeId: 1 }, /empty bench is not known/],
  ['no selection', two(), { operation: 'tidy.cut', takeId: 1 }, /which selection/],
  ['one take to join', two({ takes: [take(1)] }), { operation: 'join.match' }, /two takes or more/],
  ['nothing to accept', two({ join: joined({ stale: true }) }), { operation: 'join.accept' }, /no join that stands/],
  ['a skin of loose takes', two(), { operation: 'skin.make', params: { spacingMm: 1 } }, /Join the takes/],
  [
    'a skin of takes of which one came later',
    two({ join: joined({ motions: { 'take 1': rows }, calledThen: { 1: 'take 1' } }) }),
    { operation: 'skin.make', params: { spacingMm: 1 } },
    /“take 2” came after the join/,
  ],
  [
    'a skin of nothing but what is left out',
    two({ join: joined(), goesIn: [] }),
    { operation: 'skin.make', params: { spacingMm: 1 } },
    /left out of the skin; take one in/,
  ],
  ['points as the skin', two(), { operation: 'skin.adopt', takeId: 1 }, /Only an imported mesh can be taken like that/],
  ['no skin to mend', two(), { operation: 'mend.closeHoles' }, /no skin yet/],
  [
    'a take that goes on with itself',
    two(),
    { operation: 'take.goOn', takeId: 1, params: { with: 1 } },
    /another take/,
  ],
  ['what works on files', two(), { operation: 'measure.compare' }, /works on files/],
])('%s is refused in words', (_what, state, asked, words) => expect(() => job(state, asked)).toThrow(words))

test('what the brief says is put to acts of mending: how far they may go, and whether holes are theirs to close', () => {
  const mended = (purposes: Brief['purposes'], operation: string, params = {}): Record<string, unknown> => {
    const content: Brief = { ...EMPTY_BRIEF, purposes, detailMm: 2 }
    const state = two({
      mesh: emptyResult([emptyStep('skin.make', { track: 'result:1' })]),
      brief: { content, outlook: null, stepId: 1, revision: 0, version: 1 },
    })
    return (job(state, { operation, params }).request as { params: Record<string, unknown> }).params
  }
  expect(mended(['print'], 'mend.heal')).toMatchObject({ keepsHoles: false })
  expect(mended(['archive'], 'mend.heal')).toMatchObject({ keepsHoles: true })
  const { toleranceMm } = requirementsOf({ ...EMPTY_BRIEF, purposes: ['print'], detailMm: 2 })
  expect(mended(['print'], 'mend.remesh', { edgeMm: 1 })).toMatchObject({ capMm: toleranceMm, edgeMm: 1 })
  expect(mended(['print'], 'mend.denoise', { capMm: 1 })).toMatchObject({ toleranceMm })
})

test('every operation that runs on a piece says what it works on; rules name operations that are there', () => {
  const names = operationNames()
  for (const name of names) {
    const { onPiece, inputs } = operationNamed(name)
    if (onPiece) expect(Object.values(inputs).map((i) => [name, i.from])).not.toContainEqual([name, null])
  }
  for (const name of Object.keys(RULES)) expect(names).toContain(name)
})
