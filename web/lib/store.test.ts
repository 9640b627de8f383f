import { afterEach, beforeEach, describe, expect, test, vi } from 'vitest'
import { api } from './api'
import { emptyState } from './empty-state'
import type { PreviewCut } from '@/stations/tidy/desk'
import { attempt, dropPreviews, goToStation, layOnDesk, submit, submitTidy, useDesk } from './store'

const before = useDesk.getState()
const jobs = (...ids: number[]): void =>
  useDesk.setState({
    state: { ...useDesk.getState().state, jobs: ids.map((id) => ({ id, state: 'running' })) as never },
  })
const cut = (takeId: number): PreviewCut => ({
  takeId,
  shapeHash: 'h',
  operation: 'tidy.cut',
  params: {},
  bits: Uint8Array.of(takeId),
  count: 1,
  text: '',
  mark: Uint8Array.of(1),
  areaMm2: 1,
})
beforeEach(() => {
  vi.useFakeTimers()
  useDesk.setState({
    state: emptyState('Lamp', {
      piece: { id: 7, name: 'Lamp', number: '', sample: false, benchPiece: null, binned: false },
    }),
    sending: 0,
    error: null,
  })
})
afterEach(() => {
  vi.restoreAllMocks()
  vi.useRealTimers()
  useDesk.setState(before)
})

describe('asking for work', () => {
  test('the desk is busy from the click until it lists the last job that was asked for', async () => {
    const asked: string[] = []
    vi.spyOn(api, 'submit').mockImplementation((piece, job) => {
      asked.push(`${piece} ${job.operation}`)
      return Promise.resolve({ id: asked.length })
    })
    const sent = submit({ operation: 'tidy.thin' }, { operation: 'tidy.smooth' })
    expect(useDesk.getState().sending).toBe(1)
    await vi.advanceTimersByTimeAsync(10)
    // The first is listed, the last is not.
    jobs(1)
    await vi.advanceTimersByTimeAsync(10)
    expect(useDesk.getState().sending).toBe(1)
    jobs(1, 2)
    await sent
    expect(useDesk.getState().sending).toBe(0)
    expect(asked).toEqual(['7 tidy.thin', '7 tidy.smooth'])
  })
  test('a job that came and went unseen does not keep it busy for ever', async () => {
    vi.spyOn(api, 'tidyTakes').mockResolvedValue({ ids: [3, 4] })
    const sent = submitTidy([1], null)
    await vi.advanceTimersByTimeAsync(3900)
    expect(useDesk.getState().sending).toBe(1)
    await vi.advanceTimersByTimeAsync(200)
    await sent
    expect(useDesk.getState().sending).toBe(0)
  })
  test('a refusal ends it at once', async () => {
    vi.spyOn(api, 'submit').mockRejectedValue(new Error('“side” is locked.'))
    await expect(submit({ operation: 'tidy.thin' })).rejects.toThrow('is locked')
    expect(useDesk.getState().sending).toBe(0)
  })
})

describe('refusals', () => {
  test('are shown where the person looks, until the next attempt', async () => {
    await attempt(() => Promise.reject(new Error('Give the height in mm.')))
    expect(useDesk.getState().error).toBe('Give the height in mm.')
    await attempt(() => Promise.resolve())
    expect(useDesk.getState().error).toBeNull()
  })
})

test('previews that were carried out go, also when they have been warned of since; others stay', () => {
  const [a, b, c] = [cut(1), cut(2), cut(3)]
  useDesk.setState({ previews: [{ ...a, warning: 'only here' }, b, c] })
  dropPreviews([a, c])
  expect(useDesk.getState().previews).toEqual([b])
})

test('another piece is laid on an empty desk: whatever the hands did at the last one is gone', () => {
  const kept = ['state', 'station', 'set']
  layOnDesk(emptyState('Lamp'), 'size')
  const fresh = useDesk.getState()
  const touched = Object.fromEntries(
    Object.keys(fresh)
      .filter((k) => !kept.includes(k))
      .map((k) => [k, 'touched']),
  )
  expect(Object.keys(touched).length).toBeGreaterThan(25)
  useDesk.setState(touched as never)
  layOnDesk(emptyState('Jug'), 'join')
  expect(useDesk.getState()).toEqual({ ...fresh, state: emptyState('Jug'), station: 'join', view: 'takes' })
})

test('going to another station puts down what was begun, and keeps what was finished', () => {
  layOnDesk(emptyState('Lamp'), 'tidy')
  const reading = { from: [0, 0, 0], to: [1, 0, 0], readingMm: 1, uncertaintyMm: 0.05 } as const
  useDesk.setState({ tool: 'lasso', previews: [cut(1)], sizing: true, readings: [reading], error: 'Oh.', slide: 2 })
  goToStation('size')
  expect(useDesk.getState()).toMatchObject({
    station: 'size',
    tool: null,
    previews: [],
    sizing: false,
    readings: [reading],
    error: null,
    slide: 2,
  })
})
