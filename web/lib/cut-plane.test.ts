import { afterEach, beforeEach, describe, expect, test, vi } from 'vitest'
import { motionRows, rotationMotion, transformPoint } from '@holosoma/core/linear'
import type { TakeState } from '@holosoma/engine'
import type { Choice, Laid } from '@/workers/selecting'
import { api } from './api'
import { addPlanePoint, BELOW_PLANE, cutBelow, middleOf, planeFor, showPlane } from './cut-plane'
import { emptyState } from './empty-state'
import { makeWorkersBy } from './geometry'
import type { CutPlane } from '@/stations/tidy/desk'
import { useDesk } from './store'

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
  shape: {
    hash: 'h',
    kind: 'cloud',
    points: 8,
    faces: 0,
    bounds: { min: [0, 10, -4], max: [20, 30, 6] },
    previewHash: null,
    thumbHash: null,
  },
}
const plane = (offsetMm: number): CutPlane => ({ normal: [0, 0, 1], offsetMm, from: 'across Z' })
const before = useDesk.getState()
const asked: number[] = []
let gate: Promise<void> | null = null
const worker = {
  async choose(takes: readonly Laid[], choice: Choice) {
    asked.push(choice.kind === 'below' ? choice.offsetMm : NaN)
    await gate
    return takes.map(() => ({ bits: Uint8Array.of(asked.at(-1)!), count: 3, mark: Uint8Array.of(1), areaMm2: 2 }))
  },
}
beforeEach(() => {
  asked.length = 0
  gate = null
  vi.useFakeTimers()
  makeWorkersBy(() => worker as never, 1)
  useDesk.setState({
    state: emptyState('Lamp', { takes: [take] }),
    selectedTake: null,
    solo: null,
    previews: [],
    plane: null,
    planePoints: null,
  })
})
afterEach(() => {
  vi.restoreAllMocks()
  vi.useRealTimers()
  useDesk.setState(before)
})

describe('a plane of the stage', () => {
  test('cuts the same points in a take’s own coordinates, however the take is laid', () => {
    const motion = rotationMotion([1, 2, -0.5], 0.8, [30, -4, 12])
    const onStage: CutPlane = { normal: [0.36, 0.48, 0.8], offsetMm: 7, from: '' }
    const own = planeFor(onStage, motionRows(motion))
    for (const p of [
      [0, 0, 0],
      [5, -3, 8],
      [-20, 11, 4],
    ] as const) {
      const q = transformPoint(motion, p[0], p[1], p[2])
      const signed = (n: readonly number[], at: readonly number[], offset: number): number =>
        n[0] * at[0] + n[1] * at[1] + n[2] * at[2] - offset
      expect(signed(own.normal, p, own.offsetMm)).toBeCloseTo(signed(onStage.normal, q, onStage.offsetMm), 9)
    }
    expect(planeFor(onStage, null)).toEqual({ normal: [0.36, 0.48, 0.8], offsetMm: 7 })
  })
  test('begins in the middle of what it cuts', () => {
    expect(middleOf(take)).toEqual([10, 20, 1])
  })
})

describe('looking at what lies below', () => {
  test('shows it as a cut that may be made, and clears it away with the plane', async () => {
    await showPlane(plane(4))
    expect(useDesk.getState().previews).toMatchObject([
      {
        takeId: 1,
        shapeHash: 'h',
        operation: BELOW_PLANE,
        count: 3,
        text: 'Below the plane, across Z.',
        params: { offsetMm: 4 },
      },
    ])
    await showPlane(null)
    expect(useDesk.getState()).toMatchObject({ plane: null, previews: [] })
  })
  test('while the hand drags, only the newest place is reckoned after the one at work', async () => {
    let open = (): void => undefined
    gate = new Promise<void>((resolve) => (open = resolve))
    const first = showPlane(plane(1))
    for (const at of [2, 3, 4]) await showPlane(plane(at))
    open()
    await first
    expect(asked).toEqual([1, 4])
    expect(useDesk.getState().previews[0].params).toMatchObject({ offsetMm: 4 })
  })
  test('what comes back when the plane is gone is not shown', async () => {
    let open = (): void => undefined
    gate = new Promise<void>((resolve) => (open = resolve))
    const first = showPlane(plane(1))
    await showPlane(null)
    open()
    await first
    expect(useDesk.getState().previews).toEqual([])
  })
  test('three places lay it; three on a line are refused in words', async () => {
    for (const at of [
      [0, 0, 2],
      [10, 0, 2],
      [0, 10, 2],
    ] as const)
      await addPlanePoint(at, [0, 0, 50])
    const laid = useDesk.getState().plane!
    expect(Math.abs(laid.normal[2])).toBeCloseTo(1, 9)
    expect(laid.offsetMm * Math.sign(laid.normal[2])).toBeCloseTo(2, 9)
    expect(useDesk.getState().planePoints).toBeNull()
    for (const at of [
      [0, 0, 0],
      [1, 0, 0],
    ] as const)
      await addPlanePoint(at, [0, 0, 50])
    await expect(addPlanePoint([2, 0, 0], [0, 0, 50])).rejects.toThrow(/line/)
  })
})

describe('cutting below', () => {
  test('sends each take its own plane; one laid while it was sent stays, with what it would cut', async () => {
    await showPlane(plane(4))
    const cut = useDesk.getState().previews
    let answer = (_: { id: number }): void => undefined
    const submitted = vi
      .spyOn(api, 'submit')
      .mockImplementation(() => new Promise((resolve) => (answer = resolve as typeof answer)))
    const cutting = cutBelow(cut)
    await showPlane(plane(6))
    useDesk.setState({ state: { ...useDesk.getState().state, jobs: [{ id: 9 }] as never } })
    answer({ id: 9 })
    await cutting
    expect(submitted.mock.calls[0][1]).toMatchObject({ operation: BELOW_PLANE, takeId: 1, params: { offsetMm: 4 } })
    expect(useDesk.getState().plane).toMatchObject({ offsetMm: 6 })
    expect(useDesk.getState().previews).toMatchObject([{ params: { offsetMm: 6 } }])
  })
  test('with nothing laid meanwhile, plane and preview go', async () => {
    await showPlane(plane(4))
    vi.spyOn(api, 'submit').mockResolvedValue({ id: 9 })
    useDesk.setState({ state: { ...useDesk.getState().state, jobs: [{ id: 9 }] as never } })
    await cutBelow(useDesk.getState().previews)
    expect(useDesk.getState()).toMatchObject({ plane: null, previews: [] })
  })
  test('a refusal leaves both where they were', async () => {
    await showPlane(plane(4))
    vi.spyOn(api, 'submit').mockRejectedValue(new Error('“take” is locked.'))
    await expect(cutBelow(useDesk.getState().previews)).rejects.toThrow('is locked')
    expect(useDesk.getState().plane).toMatchObject({ offsetMm: 4 })
    expect(useDesk.getState().previews).toHaveLength(1)
  })
})
