import type { JobRecord, PieceState, StepRecord } from '@holosoma/engine'

/**
 * What a page is told when something of its piece changes: all of it when it begins to listen, afterwards only what is
 * otherwise than it was told last. How far jobs have come, told several times a second, carries nothing else.
 */
export type StateEvent =
  | { readonly kind: 'whole'; readonly state: PieceState }
  | {
      readonly kind: 'changed'
      readonly fields: Partial<Omit<PieceState, 'steps'>>
      /** The history now: so many of the steps it had, then these. Left out where it is what it was. */
      readonly steps?: { readonly kept: number; readonly added: readonly StepRecord[] }
    }
  | { readonly kind: 'jobs'; readonly jobs: readonly JobRecord[] }

/** Remembers what one page was told, as text. */
export class StateTeller {
  private fields = new Map<string, string>()
  private steps: string[] | null = null

  /** What to tell of a piece as it stands now; null when nothing is new. */
  tell(state: PieceState): StateEvent | null {
    const { steps, ...rest } = state
    const fields = new Map(Object.entries(rest).map(([k, v]) => [k, JSON.stringify(v)]))
    const texts = steps.map((s) => JSON.stringify(s))
    const [told, toldSteps] = [this.fields, this.steps]
    this.fields = fields
    this.steps = texts
    if (!toldSteps) return { kind: 'whole', state }
    const changed = Object.fromEntries(Object.entries(rest).filter(([k]) => told.get(k) !== fields.get(k)))
    let kept = 0
    while (kept < texts.length && texts[kept] === toldSteps[kept]) kept++
    const sameSteps = kept === texts.length && kept === toldSteps.length
    if (sameSteps && Object.keys(changed).length === 0) return null
    return { kind: 'changed', fields: changed, ...(!sameSteps && { steps: { kept, added: steps.slice(kept) } }) }
  }

  tellJobs(jobs: readonly JobRecord[]): StateEvent | null {
    const text = JSON.stringify(jobs)
    if (this.fields.get('jobs') === text) return null
    this.fields.set('jobs', text)
    return { kind: 'jobs', jobs }
  }

  /** From now on as if nothing had been told. */
  forget(): void {
    this.steps = null
  }
}

/** What a page holds after an event; what did not change is the very same object. */
export function afterEvent(state: PieceState | null, event: StateEvent): PieceState | null {
  if (event.kind === 'whole') return event.state
  if (!state) return null
  if (event.kind === 'jobs') return { ...state, jobs: event.jobs }
  const { fields, steps } = event
  return { ...state, ...fields, ...(steps && { steps: [...state.steps.slice(0, steps.kept), ...steps.added] }) }
}
