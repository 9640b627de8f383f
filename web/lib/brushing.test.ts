import { afterEach, beforeEach, expect, test, vi } from 'vitest'
import type { TakeState } from '@holosoma/engine'
import { countBits } from '@holosoma/core/select'
import type { Before } from '@/workers/painting'
import type { Laid, PointerRay, Stroke } from '@/workers/selecting'
import { afterStretch, beginStroke, brush, painted, worthAsking } from './brushing'
import { choose, chosenOn, leaveChosen } from './choosing'
import { emptyState } from './empty-state'
import { makeWorkersBy } from './geometry'
import { useDesk } from './store'

/* The brush over a worker that paints the next point of the take at each stretch, and notes what it is asked. */

const fake = {
  log: [] as string[],
  strokes: [] as Stroke[],
  befores: [] as Before[],
  hit: true,
  refuse: '',
  gate: null as Promise<void> | null,
  stamp: 0,
  next: 0,
}
const worker = {
  async hits(_takes: readonly Laid[], rays: readonly PointerRay[]) {
    fake.log.push(`look for ${rays.length}`)
    return rays.map((r) => (fake.hit ? { at: r.origin, depthMm: 5, colour: null, takeId: 1 } : null))
  },
  async paint(takes: readonly (Laid & { before: Before })[], stroke: Stroke) {
    fake.log.push('paint')
    fake.strokes.push(stroke)
    await fake.gate
    fake.log.push('painted')
    return takes.map(({ before }) => {
      // As a message would take it along: what it is now.
      fake.befores.push(structuredClone(before))
      if (fake.refuse) return { error: fake.refuse }
      if ('stamp' in before && before.stamp !== fake.stamp) return null
      fake.stamp++
      return {
        changed: Uint32Array.of(fake.next),
        slots: Uint32Array.of(fake.next),
        shown: 16,
        count: ++fake.next,
        stamp: fake.stamp,
        areaMm2: 1,
      }
    })
  },
  async choose(takes: readonly Laid[]) {
    return takes.map(() => ({ bits: Uint8Array.of(0, 1), count: 1, mark: new Uint8Array(16), areaMm2: 1 }))
  },
}

const take: TakeState = {
  id: 1,
  name: 'take',
  pose: '',
  ordinal: 1,
  fixed: true,
  locked: false,
  hidden: false,
  inJoin: true,
  inSkin: true,
  keepBase: false,
  pigment: null,
  stepId: 1,
  shape: { hash: 'h', kind: 'cloud', points: 16, faces: 0, bounds: null, previewHash: null, thumbHash: null },
}
const ray = (x: number): PointerRay => ({ origin: [x, 0, 0], direction: [0, 0, -1], radiusMm: 1 })
const before = useDesk.getState()
const chosen = () => chosenOn(take, useDesk.getState().previews)

beforeEach(() => {
  Object.assign(fake, { log: [], strokes: [], befores: [], hit: true, refuse: '', gate: null, stamp: 0, next: 0 })
  makeWorkersBy(() => worker as never, 1)
  vi.useFakeTimers()
  useDesk.setState({ state: emptyState('Lamp', { takes: [take] }), selectedTake: null, solo: null, previews: [] })
})
afterEach(() => {
  leaveChosen()
  vi.useRealTimers()
  useDesk.setState(before)
})

test('looks for the next stretch while the last is painted, and paints them one after the other', async () => {
  let open = (): void => undefined
  fake.gate = new Promise<void>((resolve) => (open = resolve))
  await brush([ray(0)])
  const second = brush([ray(1), ray(2)])
  await vi.advanceTimersByTimeAsync(1)
  expect(fake.log).toEqual(['look for 1', 'paint', 'look for 2'])
  open()
  await second
  await painted()
  expect(fake.log).toEqual(['look for 1', 'paint', 'look for 2', 'painted', 'paint', 'painted'])
  expect(fake.strokes.map((s) => [s.at, s.facing])).toEqual([
    [
      [0, 0, 0],
      [-0, -0, 1],
    ],
    [
      [1, 0, 0, 2, 0, 0],
      [-0, -0, 1],
    ],
  ])
  expect(chosen()).toMatchObject({
    count: 2,
    bits: Uint8Array.of(3, 0),
    mark: Uint8Array.of(1, 1, ...Array<number>(14).fill(0)),
  })
})
test('asks ten places of a long stretch, its ends among them, and paints nothing over nothing', async () => {
  await brush(Array.from({ length: 95 }, (_, x) => ray(x)))
  await painted()
  const xs = fake.strokes[0].at.filter((_, k) => k % 3 === 0)
  expect([xs.length, xs[0], xs.at(-1)]).toEqual([10, 0, 94])
  fake.hit = false
  await brush([ray(0)])
  expect(fake.strokes).toHaveLength(1)
})
test('of a stretch, places nearer to each other than a third of the brush are not asked, but its ends are', () => {
  const xs = (rays: readonly PointerRay[]): number[] => rays.map((r) => r.origin[0])
  expect(xs(worthAsking([0, 0.4, 0.9, 1.1, 1.9, 2.2, 2.3].map(ray), 1))).toEqual([0, 1.1, 2.2, 2.3])
  expect(xs(worthAsking([ray(4)], 1))).toEqual([4])
  expect(xs(worthAsking([ray(4), ray(4.1)], 1))).toEqual([4, 4.1])
})
test('sends what was chosen once, and from then on only what stands for it', async () => {
  await choose({ kind: 'invert' })
  for (let k = 0; k < 3; k++) await brush([ray(k)])
  await painted()
  expect(fake.befores).toEqual([{ bits: Uint8Array.of(0, 1) }, { stamp: 1 }, { stamp: 2 }])
  // Chosen in another way in between, the brush goes on from that.
  await choose({ kind: 'invert' })
  await brush([ray(0)])
  await painted()
  expect(fake.befores.at(-1)).toEqual({ bits: Uint8Array.of(0, 1) })
})
test('a worker that does not know any more what was chosen is told, and nothing of it is lost', async () => {
  await brush([ray(0)])
  await painted()
  fake.stamp = 100
  await brush([ray(1)])
  await painted()
  expect(fake.befores.map((b) => ('stamp' in b ? b : b.bits && countBits(b.bits)))).toEqual([null, { stamp: 1 }, 1])
  expect(chosen()!.bits).toEqual(Uint8Array.of(3, 0))
})
test('a stretch that fails is told once, to whoever waits next, and the brush goes on', async () => {
  fake.refuse = 'The brush must be wider than 0 mm, not 0.'
  await brush([ray(0)])
  await expect(painted()).rejects.toThrow(fake.refuse)
  await painted()
  // Not waited for at the end of a stroke, it is told to the next.
  await brush([ray(0)])
  await vi.advanceTimersByTimeAsync(1)
  fake.refuse = ''
  await expect(brush([ray(1)])).rejects.toThrow('The brush must be wider than 0 mm')
  await brush([ray(2)])
  await painted()
  expect(chosen()!.count).toBe(2)
})
test('what is chosen before a stretch is not changed by it', () => {
  const chosenBefore = { bits: Uint8Array.of(1), mark: Uint8Array.of(1, 0) }
  const after = afterStretch(8, chosenBefore, {
    changed: Uint32Array.of(0, 7),
    slots: Uint32Array.of(0),
    shown: 2,
    count: 1,
    stamp: 1,
  })
  expect(after).toEqual({ bits: Uint8Array.of(128), mark: Uint8Array.of(0, 0) })
  expect(chosenBefore).toEqual({ bits: Uint8Array.of(1), mark: Uint8Array.of(1, 0) })
  // What the stroke made it may change; of the next stroke it is something chosen before.
  const on = (from: typeof after) =>
    afterStretch(8, from, { changed: Uint32Array.of(1), slots: Uint32Array.of(1), shown: 2, count: 2, stamp: 2 })
  expect(on(after).bits).toBe(after.bits)
  beginStroke()
  const next = on(after)
  expect([next.bits[0], after.bits[0]]).toEqual([128, 130])
})
