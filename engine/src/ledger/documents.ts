import { BENCH } from './acts'
import { GeometryError, type Verdict } from '@holosoma/core'
import { briefProblems } from '@holosoma/core/brief'
import { checkCarried, checkPlan, type CarriedAreas, type Plan } from '@holosoma/core/plan'
import { transact, type Database } from '../store/database'
import { recordStep, type NewStep, type StepRecord, type Track } from './ledger'
import { parseJson } from '../store/json'
import { checkParts, type KeptParts } from '@holosoma/core/operations'

/*
 * Brief, plan, the areas on the piece and the parts kept by name: each is written as a step of a track of its own, so that they are versioned, undone and redone like
 * everything else. Writing on within one sitting goes on in the same step.
 */

/** What a plan came to when it was worked out on the page: for the route and the shelf. */
export interface Outlook {
  readonly verdict: Verdict
  readonly figure: string
  readonly text: string
}

export interface Written<T> {
  readonly content: T
  readonly outlook: Outlook | null
  readonly stepId: number
  /** Raised with every saving of the same step; with the step it says which text one has. */
  readonly revision: number
  /** How many versions there are up to this one. */
  readonly version: number
}

type DocumentTrack = Extract<Track, 'brief' | 'plan' | 'areas' | 'parts'>

/** Savings closer together than this may belong to one edit, seconds. */
const EDIT_SECONDS = 45

/** Which version a text stands in: the step, and how often it was written on. */
export interface Base {
  readonly stepId: number
  readonly revision: number
}

/**
 * @param base the version the writer had; null: there was none; left out: whatever stands is written over
 * @throws CONFLICT when something else was written meanwhile
 */
export function writeBrief(db: Database, pieceId: number, content: unknown, base?: Base | null): Promise<Base> {
  const problem = briefProblems(content)[0]
  if (problem)
    return Promise.reject(
      new GeometryError('PARAMS', `${problem.message.charAt(0).toUpperCase()}${problem.message.slice(1)}.`),
    )
  return write(db, pieceId, 'brief', content, 'Wrote the brief', 'brief.write', null, base)
}

export function writePlan(
  db: Database,
  pieceId: number,
  content: unknown,
  outlook: Outlook | null = null,
  base?: Base | null,
): Promise<Base> {
  let plan: Plan
  try {
    plan = checkPlan(content)
  } catch (error) {
    return Promise.reject(error)
  }
  const n = plan.takes.length
  return write(
    db,
    pieceId,
    'plan',
    plan,
    `Planned ${n === 0 ? 'no takes' : n === 1 ? 'one take' : `${n} takes`} with “${plan.device.name}”`,
    'plan.write',
    outlook,
    base,
  )
}

/** Where the stand-in lies in the joined piece, and what was painted there by hand. */
export function writeAreas(db: Database, pieceId: number, content: unknown, base?: Base | null): Promise<Base> {
  let areas: CarriedAreas
  try {
    areas = checkCarried(content)
  } catch (error) {
    return Promise.reject(error)
  }
  const n = areas.strokes.length
  const text =
    n === 0
      ? 'Laid the areas of the brief on the piece'
      : `Painted areas on the piece, ${n} ${n === 1 ? 'stroke' : 'strokes'}`
  return write(db, pieceId, 'areas', areas, text, 'areas.write', null, base)
}

/** Parts of the skin that are kept by name, to be pointed at again. */
export function writeParts(db: Database, pieceId: number, content: unknown, base?: Base | null): Promise<Base> {
  let kept: KeptParts
  try {
    kept = checkParts(content)
  } catch (error) {
    return Promise.reject(error)
  }
  const names = kept.parts.map((p) => `“${p.name}”`).join(', ')
  return write(
    db,
    pieceId,
    'parts',
    kept,
    names === '' ? 'Kept no parts' : `Kept parts: ${names}`,
    'parts.write',
    null,
    base,
  )
}

function write(
  db: Database,
  pieceId: number,
  track: DocumentTrack,
  content: unknown,
  description: string,
  operation: string,
  outlook: Outlook | null,
  base: Base | null | undefined,
): Promise<Base> {
  return transact(db, async (trx) => {
    await trx('pieces').where({ id: pieceId }).first('id').forUpdate()
    const params = { content }
    const figures: Record<string, string> = outlook
      ? { verdict: outlook.verdict, figure: outlook.figure, text: outlook.text }
      : {}
    const head = (await trx('heads').where({ piece_id: pieceId, track }).first('step_id')) as
      { step_id: number | null } | undefined
    const stands = head?.step_id
      ? ((await trx('steps').where({ id: head.step_id }).first('id', 'revision', 'params', 'details')) as {
          id: number
          revision: number
          params: string
          details: string | null
        })
      : null
    const revised = async (): Promise<Base> => ({
      stepId: stands!.id,
      revision: Number(
        ((await trx('steps').where({ id: stands!.id }).first('revision')) as { revision: number }).revision,
      ),
    })
    const changed =
      base !== undefined &&
      (base === null
        ? stands !== null
        : stands === null || stands.id !== base.stepId || stands.revision !== base.revision)
    if (changed && JSON.stringify(stands ? parseJson(stands.params as never) : null) !== JSON.stringify(params)) {
      throw new GeometryError(
        'CONFLICT',
        `The ${track} ${track === 'areas' || track === 'parts' ? 'were' : 'was'} changed meanwhile, on another page or by someone else; what you wrote was not saved over it.`,
      )
    }
    const last = (await trx('moves').where({ piece_id: pieceId }).orderBy('id', 'desc').first('to_step', 'state')) as
      { to_step: number | null; state: string } | undefined
    if (head?.step_id) {
      // The same text again, with another outlook: no new version.
      const same = await trx('steps')
        .where({ id: head.step_id })
        .andWhereRaw('params = ?', [JSON.stringify(params)])
        .update({ ...(outlook && { figures: JSON.stringify(figures) }), revision: trx.raw('revision + 1') })
      if (same > 0) return revised()
    }
    const changedNow = stands
      ? changedFields((parseJson(stands.params as never) as typeof params).content, content)
      : []
    const edited = stands?.details ? (parseJson(stands.details as never) as Edit).changed : []
    // The first text of all is begun by whatever is written first; areas are laid first and painted then, touch by touch.
    const begun = edited.length === 0 && track !== 'areas' && track !== 'parts'
    const goesOn = begun || changedNow.every((f) => edited.includes(f))
    const details: Edit = { changed: edited.length === 0 ? changedNow : edited }
    if (head?.step_id && goesOn && last?.state === 'done' && last.to_step === head.step_id) {
      // An undo must give back what stood before the edit, so only the newest step of all is written on.
      const written = await trx('steps')
        .where({ id: head.step_id })
        .andWhereRaw('ABS(TIMESTAMPDIFF(SECOND, created_at, NOW(3))) < ?', [EDIT_SECONDS])
        .update({
          params: JSON.stringify(params),
          figures: JSON.stringify(figures),
          description,
          details: JSON.stringify(details),
          revision: trx.raw('revision + 1'),
        })
      if (written > 0) return revised()
    }
    const step: NewStep = {
      track,
      operation,
      version: 1,
      params,
      inputs: {},
      outputs: {},
      figures,
      findings: [],
      details: { changed: changedNow } satisfies Edit,
      description,
      who: BENCH,
      durationMs: 0,
      work: null,
    }
    return { stepId: await recordStep(trx, pieceId, step), revision: 0 }
  })
}

/** What a version changed of the one before. */
interface Edit {
  readonly changed: readonly string[]
}

/** Fields two texts differ in: by name, and of lists and groups by which of them. */
export function changedFields(before: unknown, after: unknown, at = ''): string[] {
  if (JSON.stringify(before) === JSON.stringify(after)) return []
  const isGroup = (v: unknown): v is Record<string, unknown> => typeof v === 'object' && v !== null
  const deep = at === '' ? 0 : at.split('.').length
  if (deep >= 2 || !isGroup(before) || !isGroup(after)) return [at]
  const keys = new Set([...Object.keys(before), ...Object.keys(after)])
  return [...keys].flatMap((k) => changedFields(before[k], after[k], at === '' ? k : `${at}.${k}`))
}

/** What a head of such a track holds. */
export async function written<T>(db: Database, head: StepRecord | null): Promise<Written<T> | null> {
  if (!head) return null
  const row = (await db('steps').where({ id: head.id }).first('params', 'figures', 'revision', 'piece_id', 'track')) as
    { params: string; figures: string; revision: number; piece_id: number; track: string } | undefined
  if (!row) return null
  const [{ n }] = (await db('steps')
    .where({ piece_id: row.piece_id, track: row.track })
    .andWhere('id', '<=', head.id)
    .count({ n: '*' })) as [{ n: number }]
  const figures = parseJson(row.figures as never) as Partial<Outlook>
  return {
    outlook: figures.verdict ? (figures as Outlook) : null,
    content: (parseJson(row.params as never) as { content: T }).content,
    stepId: head.id,
    revision: row.revision,
    version: Number(n),
  }
}
