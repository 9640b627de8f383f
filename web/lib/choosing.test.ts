import { afterEach, beforeEach, describe, expect, test, vi } from 'vitest'
import type { TakeState } from '@holosoma/engine'
import type { Choice, Laid, PointerRay } from '@/workers/selecting'
import { BY_HAND, choose, chooseAt, chosenOn, growPatch, leaveChosen, placeUnder, takesUnderHand } from './choosing'
import { emptyState } from './empty-state'
import { makeWorkersBy } from './geometry'
import { useDesk } from './store'

/*
 * The hand of the page over workers that only note what they are asked: nothing is reckoned here, so that order and
 * words are what is looked at.
 */

type Given = Laid & { before: Uint8Array | null }
const fake = {
  log: [] as string[],
  choices: [] as Choice[],
  hit: true,
  colour: [10, 20, 30] as number[] | null,
  refuse: '',
}
const worker = {
  async hits(_takes: readonly Laid[], rays: readonly PointerRay[]) {
    fake.log.push(`look for ${rays.length}`)
    return rays.map((r) => (fake.hit ? { at: r.origin, depthMm: 5, colour: fake.colour, takeId: 1 } : null))
  },
  async choose(takes: readonly Given[], choice: Choice) {
    fake.log.push(`begin ${choice.kind}`)
    fake.choices.push(choice)
    fake.log.push(`end ${choice.kind}`)
    // Each choice adds the next point.
    return takes.map((t) => {
      if (fake.refuse) return { error: fake.refuse }
      const count = (t.before ? t.before[0].toString(2).replaceAll('0', '').length : 0) + 1
      return { bits: Uint8Array.of(2 ** count - 1), count, mark: Uint8Array.of(1), areaMm2: count }
    })
  },
}

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
  shape: { hash: `h${id}`, kind: 'cloud', points: 8, faces: 0, bounds: null, previewHash: null, thumbHash: null },
  ...over,
})
const ray = (x: number): PointerRay => ({ origin: [x, 0, 0], direction: [0, 0, -1], radiusMm: 1 })
const before = useDesk.getState()
const desk = (takes: TakeState[], across = false): void =>
  useDesk.setState({
    state: emptyState('Lamp', { takes }),
    selectedTake: null,
    solo: null,
    previews: [],
    choosing: { ...before.choosing, across },
  })
const chosen = (id = 1) =>
  chosenOn(
    useDesk.getState().state.takes.find((t) => t.id === id),
    useDesk.getState().previews,
  )

beforeEach(() => {
  Object.assign(fake, { log: [], choices: [], hit: true, colour: [10, 20, 30], refuse: '' })
  makeWorkersBy(() => worker as never, 1)
  vi.useFakeTimers()
  desk([take(1), take(2)])
})
afterEach(() => {
  leaveChosen()
  vi.useRealTimers()
  useDesk.setState(before)
})

describe('which takes a hand chooses on', () => {
  test('the chosen one, or all that show; never locked ones, nor meshes', () => {
    expect(takesUnderHand().map((t) => t.id)).toEqual([1])
    desk(
      [
        take(1),
        take(2),
        take(3, { locked: true }),
        take(4, { hidden: true }),
        take(5, { shape: { ...take(5).shape!, kind: 'mesh' } }),
      ],
      true,
    )
    expect(takesUnderHand().map((t) => t.id)).toEqual([1, 2])
  })
  test('and says why where there is none', () => {
    desk([take(1, { locked: true })])
    expect(takesUnderHand).toThrow('“take 1” is locked; unlock it on the contact sheet first.')
    desk([take(1, { locked: true }), take(2, { locked: true })], true)
    expect(takesUnderHand).toThrow('All takes that show are locked; unlock one on the contact sheet first.')
    desk([take(1, { hidden: true })], true)
    expect(takesUnderHand).toThrow('No take shows; show one on the contact sheet first.')
    desk([])
    expect(takesUnderHand).toThrow('There is no take yet to choose on.')
  })
})

describe('choosing', () => {
  test('goes on from what was chosen; each take has its own, and what was previewed of other acts goes', async () => {
    useDesk.setState({
      previews: [
        {
          takeId: 1,
          shapeHash: 'h1',
          operation: 'tidy.trimTable',
          params: {},
          bits: Uint8Array.of(1),
          count: 1,
          mark: Uint8Array.of(1),
          areaMm2: 1,
          text: 'table',
        },
      ],
    })
    await choose({ kind: 'unsure', below: 0.5 })
    await choose({ kind: 'unsure', below: 0.6 })
    expect(useDesk.getState().previews.map((p) => [p.takeId, p.operation, p.count])).toEqual([[1, BY_HAND, 2]])
    desk([take(1), take(2)], true)
    await choose({ kind: 'unsure', below: 0.5 })
    expect([chosen(1)!.count, chosen(2)!.count]).toEqual([1, 1])
  })
  test('on a shape that is gone it is dropped', async () => {
    await choose({ kind: 'unsure', below: 0.5 })
    const moved = take(1, { shape: { ...take(1).shape!, hash: 'newer' } })
    useDesk.setState({ state: emptyState('Lamp', { takes: [moved, take(2)] }) })
    expect(chosen(1)).toBeUndefined()
    await choose({ kind: 'unsure', below: 0.5 })
    expect(useDesk.getState().previews.map((p) => p.shapeHash)).toEqual(['newer'])
  })
  test('a refusal by all takes is told in its words', async () => {
    fake.refuse = 'This take does not know how sure its points are.'
    await expect(choose({ kind: 'unsure', below: 0.5 })).rejects.toThrow(fake.refuse)
    expect(useDesk.getState().previews).toEqual([])
  })
})

describe('a click', () => {
  test('chooses the patch, the part or the colour there; on nothing it says so', async () => {
    for (const tool of ['part', 'colour'] as const) await chooseAt(ray(3), tool)
    expect(fake.choices).toEqual([
      { kind: 'part', at: [3, 0, 0], gapMm: null },
      { kind: 'tone', colour: [10, 20, 30], difference: before.choosing.difference },
    ])
    fake.colour = null
    await expect(chooseAt(ray(3), 'colour')).rejects.toThrow('This take has no colours to choose by.')
    fake.hit = false
    await expect(chooseAt(ray(3), 'part')).rejects.toThrow(
      'There is no point under the pointer; begin on the piece itself.',
    )
    await expect(placeUnder(ray(3))).rejects.toThrow('There is no point under the pointer; click on the piece itself.')
  })
  test('a flat patch follows its limits from what was chosen before it, until something else is chosen', async () => {
    await choose({ kind: 'unsure', below: 0.5 })
    await chooseAt(ray(3), 'plane')
    expect(chosen()!.count).toBe(2)
    useDesk.setState({ choosing: { ...useDesk.getState().choosing, planeMm: 0.7 } })
    await growPatch()
    expect(fake.choices.at(-1)).toMatchObject({ kind: 'plane', distanceMm: 0.7 })
    // Anew from what was there before the patch, not on top of it.
    expect(chosen()!.count).toBe(2)
    await choose({ kind: 'unsure', below: 0.9 })
    const asked = fake.choices.length
    await growPatch()
    expect(fake.choices).toHaveLength(asked)
  })
})
