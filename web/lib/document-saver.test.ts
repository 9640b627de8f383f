import { afterEach, beforeEach, expect, test, vi } from 'vitest'
import { EMPTY_BRIEF, type Brief } from '@holosoma/core/brief'
import { api } from './api'
import { DocumentSaver } from './document-saver'

const brief = (heightMm: number): Brief => ({ ...EMPTY_BRIEF, heightMm })
let told: object[]
let saver: DocumentSaver<'brief'>
beforeEach(() => {
  vi.useFakeTimers()
  told = []
  // As the house holds it: the version with its text, of which only the version is said when saving.
  const stored = { stepId: 5, revision: 0, content: brief(0) }
  saver = new DocumentSaver<'brief'>(1, 'brief', stored, (t) => void told.push(t))
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

const replaced = () => told.flatMap((t) => ('replaced' in t ? [(t.replaced as Brief | null)?.heightMm ?? null] : []))
const saving = () => told.flatMap((t) => ('saving' in t ? [t.saving] : [])).at(-1)
test('what the house tells late of its own savings does not take the place of what was written since', async () => {
  const answers: ((b: { stepId: number; revision: number }) => void)[] = []
  saves().mockImplementation(() => new Promise((r) => answers.push(r)))
  saver.schedule({ ...brief(1), traits: [] })
  saver.schedule({ ...brief(2), traits: ['round'] })
  await vi.advanceTimersByTimeAsync(800)
  // The house tells of the first before it has answered, and again while the second is under way.
  saver.hear({ stepId: 5, revision: 1, content: brief(1) })
  answers[0]({ stepId: 5, revision: 1 })
  await vi.advanceTimersByTimeAsync(10)
  saver.hear({ stepId: 5, revision: 1, content: brief(1) })
  expect(saving()).toBe('saving')
  answers[1]({ stepId: 6, revision: 0 })
  await vi.advanceTimersByTimeAsync(10)
  expect(saving()).toBe('saved')
  saver.hear({ stepId: 5, revision: 1, content: brief(1) })
  expect(replaced()).toEqual([])
  expect(saver.base).toEqual({ stepId: 6, revision: 0 })
  saver.hear({ stepId: 6, revision: 0, content: brief(2) })
  expect(replaced()).toEqual([])
  // Undo brings back a version it wrote itself.
  saver.hear({ stepId: 5, revision: 1, content: brief(1) })
  expect(replaced()).toEqual([1])
  expect(saver.base).toEqual({ stepId: 5, revision: 1 })
})
test('what another page wrote is heard once nothing is left to save, and only once', async () => {
  let answer: (b: { stepId: number; revision: number }) => void = () => undefined
  saves().mockImplementationOnce(() => new Promise((r) => (answer = r)))
  saver.schedule(brief(1))
  await vi.advanceTimersByTimeAsync(800)
  saver.hear({ stepId: 7, revision: 0, content: brief(9) })
  expect(replaced()).toEqual([])
  answer({ stepId: 6, revision: 0 })
  await vi.advanceTimersByTimeAsync(10)
  expect(replaced()).toEqual([9])
  saver.hear({ stepId: 7, revision: 0, content: brief(9) })
  expect(replaced()).toEqual([9])
  saver.hear(null)
  expect(replaced()).toEqual([9, null])
})
test('what could not be saved stays to be saved, and is not replaced meanwhile', async () => {
  const save = saves()
    .mockRejectedValueOnce(new Error('The database does not answer just now.'))
    .mockResolvedValue({ stepId: 6, revision: 0 })
  saver.schedule({ ...brief(1), traits: [] })
  saver.schedule({ ...brief(2), traits: ['round'] })
  await vi.advanceTimersByTimeAsync(800)
  expect(saving()).toBe('unsaved')
  saver.hear({ stepId: 5, revision: 4, content: brief(8) })
  expect(replaced()).toEqual([])
  await saver.save()
  expect(save.mock.calls.map((c) => (c[2] as Brief).heightMm)).toEqual([1, 1, 2])
  expect(saving()).toBe('saved')
})
test('what was worked out about one text is told with that text only', async () => {
  const save = saves().mockResolvedValue({ stepId: 5, revision: 1 })
  const outlook = { verdict: 'sound', figure: '99 %', text: 'All is seen.' } as const
  expect(saver.foresee(brief(1), outlook)).toBe(true)
  expect(saver.foresee(brief(1), { ...outlook })).toBe(false)
  saver.schedule(brief(1))
  await vi.advanceTimersByTimeAsync(800)
  saver.schedule(brief(2))
  await vi.advanceTimersByTimeAsync(800)
  expect(save.mock.calls.map((c) => c[3])).toEqual([outlook, null])
})
test('what is given up for someone else’s is not saved any more', async () => {
  const save = saves()
  saver.schedule(brief(1))
  expect(saving()).toBe('saving')
  saver.giveUp({ stepId: 9, revision: 0, content: brief(4) })
  await vi.advanceTimersByTimeAsync(5000)
  expect(save).not.toHaveBeenCalled()
  expect([replaced(), saving()]).toEqual([[4], 'saved'])
})
