import { afterEach, beforeEach, expect, test, vi } from 'vitest'
import { EMPTY_BRIEF, type Brief } from '@holosoma/core/brief'
import { api } from './api'
import { DocumentSaver } from './documents'

const brief = (heightMm: number): Brief => ({ ...EMPTY_BRIEF, heightMm })
let told: object[]
let saver: DocumentSaver<'brief'>
beforeEach(() => {
  vi.useFakeTimers()
  told = []
  saver = new DocumentSaver<'brief'>(1, 'brief', { stepId: 5, revision: 0 }, (t) => void told.push(t))
})
afterEach(() => {
  vi.useRealTimers()
  vi.restoreAllMocks()
})
const saves = () => vi.spyOn(api, 'saveDocument')
const late = Object.assign(new Error('The brief was changed meanwhile.'), { status: 409 })

test('each saving says which version it was written on, the next one that of the answer', async () => {
  const save = saves()
    .mockResolvedValueOnce({ stepId: 5, revision: 1 })
    .mockResolvedValueOnce({ stepId: 6, revision: 0 })
  saver.schedule(brief(1))
  saver.schedule(brief(2))
  await vi.advanceTimersByTimeAsync(800)
  saver.schedule(brief(3))
  await vi.advanceTimersByTimeAsync(800)
  expect(save.mock.calls.map((c) => [(c[2] as Brief).heightMm, c[4]])).toEqual([
    [2, { stepId: 5, revision: 0 }],
    [3, { stepId: 5, revision: 1 }],
  ])
  expect(saver.base).toEqual({ stepId: 6, revision: 0 })
})
test('what is put in and taken out again at once are two edits; typing on is one', async () => {
  const save = saves()
    .mockResolvedValueOnce({ stepId: 5, revision: 1 })
    .mockResolvedValueOnce({ stepId: 6, revision: 0 })
  const of = (heightMm: number, traits: Brief['traits']): Brief => ({ ...brief(heightMm), traits })
  saver.schedule(of(1, []))
  saver.schedule(of(12, []))
  saver.schedule(of(12, ['round']))
  await vi.advanceTimersByTimeAsync(800)
  expect(save.mock.calls.map((c) => (c[2] as Brief).traits)).toEqual([[], ['round']])
})
test('edits that wait for one under way are saved one by one; what stands on the page counts as unsaved until then', async () => {
  const of = (traits: Brief['traits']): Brief => ({ ...brief(1), traits })
  let answer: (b: { stepId: number; revision: number }) => void = () => undefined
  const save = saves()
    .mockImplementationOnce(() => new Promise((r) => (answer = r)))
    .mockResolvedValueOnce({ stepId: 6, revision: 0 })
    .mockResolvedValueOnce({ stepId: 7, revision: 0 })
  saver.schedule(of([]))
  await vi.advanceTimersByTimeAsync(800)
  saver.schedule(of(['round']))
  saver.schedule(of(['round', 'slab']))
  await vi.advanceTimersByTimeAsync(800)
  expect(saver.value!.traits).toEqual(['round', 'slab'])
  answer({ stepId: 5, revision: 1 })
  await vi.advanceTimersByTimeAsync(10)
  expect(save.mock.calls.map((c) => [(c[2] as Brief).traits.length, c[4]])).toEqual([
    [0, { stepId: 5, revision: 0 }],
    [1, { stepId: 5, revision: 1 }],
    [2, { stepId: 6, revision: 0 }],
  ])
  expect(saver.value).toBeNull()
})
test('of several edits the last is kept where someone else was first, and the others are not written on top', async () => {
  const save = saves().mockRejectedValueOnce(late)
  saver.schedule({ ...brief(1), traits: [] })
  saver.schedule({ ...brief(1), traits: ['round'] })
  await vi.advanceTimersByTimeAsync(800)
  expect(saver.value!.traits).toEqual(['round'])
  expect(save).toHaveBeenCalledTimes(1)
  expect(told).toContainEqual({ conflict: true })
})
test('while one is under way the next waits for its version', async () => {
  let answer: (b: { stepId: number; revision: number }) => void = () => undefined
  const save = saves()
    .mockImplementationOnce(() => new Promise((r) => (answer = r)))
    .mockResolvedValueOnce({ stepId: 5, revision: 2 })
  saver.schedule(brief(1))
  await vi.advanceTimersByTimeAsync(800)
  saver.schedule(brief(2))
  await vi.advanceTimersByTimeAsync(5000)
  expect(save).toHaveBeenCalledTimes(1)
  answer({ stepId: 5, revision: 1 })
  await vi.advanceTimersByTimeAsync(10)
  expect(save.mock.calls[1][4]).toEqual({ stepId: 5, revision: 1 })
})
test('someone else was first: nothing is lost, and it is written over only on purpose', async () => {
  const save = saves().mockRejectedValueOnce(late).mockResolvedValueOnce({ stepId: 9, revision: 0 })
  saver.schedule(brief(7))
  await vi.advanceTimersByTimeAsync(800)
  expect(told).toContainEqual({ conflict: true })
  expect(saver.value!.heightMm).toBe(7)
  await saver.save(true)
  expect(save.mock.calls[1][4]).toBeUndefined()
  expect(told).toContainEqual({ conflict: false })
  expect(saver.base).toEqual({ stepId: 9, revision: 0 })
})
test('another fault is told and is no conflict', async () => {
  saves().mockRejectedValueOnce(new Error('The database does not answer just now.'))
  saver.schedule(brief(7))
  await vi.advanceTimersByTimeAsync(800)
  expect(told).toContainEqual({ error: 'The database does not answer just now.' })
  expect(told).not.toContainEqual({ conflict: true })
})
