import { GeometryError, isGeometryError, quietContext, stage } from '@holosoma/core'
import type { RoadStep } from '@holosoma/core/operations'
import { runStored } from './compute'
import { contextOf, type Host, type StepDraft } from './host'
import type { Database } from '../store/database'
import type { JobRequest } from './jobs'
import type { Track } from '../ledger/ledger'

/** Of a job that leaves several steps; the track is the job's where none is named. */
export type TimedDraft = StepDraft & { readonly durationMs?: number; readonly track?: Track }
type RecipeRequest = Extract<JobRequest, { kind: 'recipe' }>

/** Refusals that say that an act does not fit this take; the others go on without it. */
const UNFIT = new Set(['DEGENERATE', 'EMPTY', 'PARAMS'])

/**
 * Runs the acts of a recipe on a take, each on what the one before left. An act that finds nothing leaves no step, so
 * that undoing goes from change to change; what did not fit is told with the last one.
 */
export async function runRecipe(db: Database, request: RecipeRequest, host: Host): Promise<TimedDraft[]> {
  const context = contextOf(host)
  const done: TimedDraft[] = []
  const idle: TimedDraft[] = []
  const unfit: string[] = []
  let take = request.take
  for (const [i, { operation, params }] of request.steps.entries()) {
    const inputs = { take, ...(operation === 'tidy.subtractBench' && request.bench && { bench: request.bench }) }
    const began = performance.now()
    try {
      const step = await runStored(
        db,
        { kind: 'operation', operation, params, inputs },
        { ...stage(context, i / request.steps.length, (i + 1) / request.steps.length), random: quietContext(1).random },
      )
      const timed = { ...step, durationMs: performance.now() - began }
      if (Number(step.figures.cut ?? 1) === 0) idle.push(timed)
      else {
        done.push(timed)
        take = step.outputs.take ?? take
      }
    } catch (error) {
      if (!isGeometryError(error) || !UNFIT.has(error.code)) throw error
      unfit.push(error.message)
    }
  }
  return settle(
    done,
    idle,
    unfit,
    request.steps.map((s) => s.operation),
  )
}

/** Tidy acts of one take as they were walked: those that did something, with what became of the others. */
export const keptSteps = (
  walked: readonly { readonly step: RoadStep; readonly draft: TimedDraft }[],
): readonly TimedDraft[] => {
  const fitted = walked.filter(({ step }) => step.unfit === undefined)
  const unfit = walked.flatMap(({ step }) => (step.unfit === undefined ? [] : [step.unfit]))
  const of = (idle: boolean): TimedDraft[] => fitted.filter(({ step }) => step.idle === idle).map(({ draft }) => draft)
  return fitted.length === 0
    ? []
    : settle(
        of(false),
        of(true),
        unfit,
        walked.map(({ step }) => step.operation),
      )
}

/**
 * @param done acts that changed something @param idle those that found nothing
 * @param unfit why others did not fit @param tried names of all of them, in their order
 */
function settle(
  done: TimedDraft[],
  idle: TimedDraft[],
  unfit: readonly string[],
  tried: readonly string[],
): TimedDraft[] {
  if (done.length + idle.length === 0) throw new GeometryError('DEGENERATE', unfit.join(' '))
  // That nothing had to go is worth one line too.
  const kept = done.length === 0 ? [idle.at(-1)!] : done
  const told = idle.flatMap((s) => s.findings.filter((f) => f.verdict !== 'sound'))
  const last = kept.at(-1)!
  // An act that found nothing leaves no step; that it was tried is kept, so that it is not proposed again.
  const found = tried.filter((o) => idle.some((d) => d.operation === o)).join(' ')
  const more = [
    ...told.filter((f) => !last.findings.includes(f)),
    ...unfit.map((text) => ({ id: 'tidy.unfit', verdict: 'doubtful' as const, text })),
  ]
  return [
    ...kept.slice(0, -1),
    {
      ...last,
      ...(found !== '' && { figures: { ...last.figures, tried: found } }),
      findings: [...last.findings, ...more],
    },
  ]
}
