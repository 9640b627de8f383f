import { describe, expect, test } from 'vitest'
import type { JobRecord, PieceState, StepRecord } from '@holosoma/engine'
import { emptyState } from './empty-state'
import { afterEvent, StateTeller, type StateEvent } from './state-stream'

const step = (id: number, figures: Record<string, number> = {}): StepRecord =>
  ({ id, track: 'result:1', operation: 'mend.health', figures }) as unknown as StepRecord
const job = (id: number, progress: number): JobRecord => ({ id, progress }) as unknown as JobRecord
const sent = (event: StateEvent | null): StateEvent => JSON.parse(JSON.stringify(event)) as StateEvent

describe('what a page is told of its piece', () => {
  const first: PieceState = { ...emptyState('Lamp'), steps: [step(1), step(2)], jobs: [job(7, 0)] }
  const states: PieceState[] = [
    first,
    { ...first, steps: [step(1), step(2), step(3)], heads: { 'result:1': 3 }, canUndo: true },
    // A step that was written over, one that is gone, and everything at once.
    { ...first, steps: [step(1), step(2, { holes: 4 }), step(3)], heads: { 'result:1': 3 } },
    { ...first, steps: [step(1)], jobs: [] },
    { ...first, steps: [], jobs: [job(8, 0.4)], activeSteps: [1], canRedo: true },
  ]
  test('ends, change by change, in what the house holds', () => {
    const teller = new StateTeller()
    let page: PieceState | null = null
    for (const state of states) {
      page = afterEvent(page, sent(teller.tell(state)))
      expect(page).toEqual(state)
    }
  })
  test('is the whole at first, then only what changed, and nothing when nothing did', () => {
    const teller = new StateTeller()
    expect(teller.tell(states[0])?.kind).toBe('whole')
    expect(teller.tell(states[0])).toBeNull()
    expect(teller.tell(states[1])).toEqual({
      kind: 'changed',
      fields: { heads: { 'result:1': 3 }, canUndo: true },
      steps: { kept: 2, added: [step(3)] },
    })
    expect(teller.tell({ ...states[1], canUndo: false })).toEqual({ kind: 'changed', fields: { canUndo: false } })
  })
  test('of jobs that only went on carries no history, and leaves the rest the very same object', () => {
    const teller = new StateTeller()
    const page = afterEvent(null, teller.tell(first)!)!
    const event = teller.tellJobs([job(7, 0.5)])
    expect(event).toEqual({ kind: 'jobs', jobs: [job(7, 0.5)] })
    expect(teller.tellJobs([job(7, 0.5)])).toBeNull()
    const after = afterEvent(page, event!)!
    expect(after.jobs).toEqual([job(7, 0.5)])
    expect(after.steps).toBe(page.steps)
    // What was told of jobs apart is not told again with the rest.
    expect(teller.tell({ ...first, jobs: [job(7, 0.5)] })).toBeNull()
  })
  test('begins anew after it could not be asked', () => {
    const teller = new StateTeller()
    teller.tell(states[0])
    teller.forget()
    expect(teller.tell(states[1])?.kind).toBe('whole')
    // A change that reaches a page which knows nothing yet says nothing.
    expect(afterEvent(null, { kind: 'changed', fields: {} })).toBeNull()
  })
})
