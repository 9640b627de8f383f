import { GeometryError } from '@holosoma/core'
import type { ImportPreset } from '@holosoma/core/measure'
import { BENCH, noteAct } from '../ledger/acts'
import { transact, type Database } from '../store/database'
import { recordStep, type NewStep, type Track } from '../ledger/ledger'
import type { SettleParams } from '@holosoma/core/operations'
import type { PhotoImportJob, PhotoJob } from '../photos/photos'
import { cleanName, LONGEST } from '../pieces/names'
import { parseJson } from '../store/json'

export type JobState = 'queued' | 'running' | 'done' | 'failed' | 'cancelled'

/** What a job is to do: an operation on stored artefacts, or a file just uploaded to be read. */
export type JobRequest =
  | {
      kind: 'operation'
      operation: string
      params: Record<string, unknown>
      inputs: Record<string, string | string[]>
      output?: string
    }
  | {
      kind: 'import'
      upload: string
      fileName: string
      preset?: ImportPreset
      /** Files it names: lists of materials, pictures, points. */
      companions?: { name: string; upload: string }[]
    }
  /** Frames with a list of poses: one take. */
  | { kind: 'frames'; poses: string; frames: { file: string; upload: string }[]; fileName: string }
  /** Acts on one take, one after the other; each is a step of its own. What does not fit the take is left out. */
  | { kind: 'recipe'; steps: { operation: string; params: Record<string, unknown> }[]; take: string; bench?: string }
  /**
   * Frames of joined takes matched in one problem; each take that is asked for gets a step of its own, on its own
   * track.
   */
  | {
      kind: 'settle'
      of: { track: Track; params: SettleParams; inputs: { take: string; others: string[]; motions: string } }[]
    }
  /** Acts of an older skin done again on a newer one, by their steps; each that fits leaves a step of its own. */
  | {
      kind: 'again'
      mesh: string
      /** The steps that made the two skins. */
      from: number
      to: number
      acts: { step: number; leave: boolean }[]
      withinMm: number
      /**
       * They were done on another piece: where this one lies to it is found by the shape of what they began on, made as
       * much larger as that piece was brought to size by where this one was, too.
       */
      like?: { mesh: string; scale: number }
    }
  /** All the way from the takes to the check of the skin; the steps stand on the lines of takes, join and result. */
  | {
      kind: 'road'
      takes: {
        id: number
        name: string
        hash: string
        tidy: { operation: string; params: Record<string, unknown> }[]
      }[]
      bench?: string
      join: Record<string, unknown> | null
      skin: Record<string, unknown>
      result: Track
    }
  | PhotoJob
  | PhotoImportJob

/** What a running take is asked to do: nothing, to wait, or to end with the frames it has. */
export type Hold = 'none' | 'pause' | 'stop'

export interface JobRecord {
  readonly id: number
  readonly pieceId: number
  readonly track: Track
  readonly title: string
  readonly request: JobRequest
  readonly state: JobState
  readonly progress: number
  readonly note: string
  /** How long it should take on this machine, s; null while unknown. */
  readonly expectedSeconds: number | null
  readonly error: string | null
  readonly attempt: number
  readonly cancel: boolean
  readonly hold: Hold
  /** Who asked for it; its steps are theirs. */
  readonly who: string
  readonly stepId: number | null
  readonly startedAt: string | null
  readonly endedAt: string | null
}

interface JobRow {
  id: number
  piece_id: number
  track: Track
  title: string
  request: string
  state: JobState
  progress: number
  note: string
  expected_seconds: number | null
  error: string | null
  attempt: number
  cancel: number
  hold: Hold
  who: string
  step_id: number | null
  started_at: Date | null
  ended_at: Date | null
}

function jobOf(r: JobRow): JobRecord {
  return {
    id: r.id,
    pieceId: r.piece_id,
    track: r.track,
    title: r.title,
    request: parseJson(r.request as never),
    state: r.state,
    progress: r.progress,
    note: r.note,
    expectedSeconds: r.expected_seconds,
    error: r.error,
    attempt: r.attempt,
    cancel: !!r.cancel,
    hold: r.hold,
    who: r.who,
    stepId: r.step_id,
    startedAt: r.started_at ? new Date(r.started_at).toISOString() : null,
    endedAt: r.ended_at ? new Date(r.ended_at).toISOString() : null,
  }
}

/** Seconds without a heartbeat after which a running job counts as abandoned. */
export const STALE_SECONDS = 6
/** A job that has killed or overrun its worker this often is given up. */
const MAX_ATTEMPTS = 2

/**
 * @param base the step its track stood on when it was asked for, null for none; left out where nothing can come between
 * @param who asks for it
 * @throws CONFLICT when the track stands on another step by now
 */
export async function submitJob(
  db: Database,
  pieceId: number,
  track: Track,
  title: string,
  request: JobRequest,
  base?: number | null,
  who = BENCH,
): Promise<number> {
  const insert = async (on: Database): Promise<number> => {
    const [id] = (await on('jobs').insert({
      piece_id: pieceId,
      track,
      kind: request.kind,
      title: cleanName(title, LONGEST.jobTitle),
      request: JSON.stringify(request),
      who,
    })) as [number]
    return id
  }
  if (base === undefined) return insert(db)
  return transact(db, async (trx) => {
    await refuseMoved(trx, pieceId, track, base)
    return insert(trx)
  })
}

/** What was asked for stood on a step that is no longer the last one. @throws CONFLICT */
async function refuseMoved(db: Database, pieceId: number, track: Track, base: number | null): Promise<void> {
  // Undo, redo and steps that are written take the same lock.
  await db('pieces').where({ id: pieceId }).first('id').forUpdate()
  const head = (await db('heads').where({ piece_id: pieceId, track }).first('step_id')) as
    { step_id: number | null } | undefined
  if ((head?.step_id ?? null) !== base)
    throw new GeometryError('CONFLICT', 'This was changed in the same moment; look at it, and ask again.')
}

/**
 * Whether anything waits or runs on one of the tracks: what it works on was fixed when it was asked for, so nothing may
 * come between.
 */
export async function isBusy(db: Database, pieceId: number, tracks: readonly Track[]): Promise<boolean> {
  const rows = (await db('jobs')
    .where({ piece_id: pieceId })
    .whereIn('state', ['queued', 'running'])
    .select('track', 'kind', 'request')) as { track: Track; kind: string; request: string }[]
  return rows.some((r) => [r.track, ...moreTracks(r)].some((t) => tracks.includes(t)))
}

/** Lines a job works on beside its own. */
function moreTracks({ kind, request }: { readonly kind: string; readonly request: string }): Track[] {
  if (kind !== 'settle' && kind !== 'road') return []
  const job = parseJson<JobRequest>(request)
  if (job.kind === 'settle') return job.of.map((o) => o.track)
  return job.kind === 'road' ? ['join', job.result, ...job.takes.map((t): Track => `take:${t.id}`)] : []
}

/**
 * Takes the oldest job that waits, or one whose worker has gone silent. The attempt number is the fencing token: only
 * the worker that holds the latest one may commit. A heartbeat that lies ahead of the clock was written before the
 * clock was set back: it says nothing, and counts as old.
 * @param except jobs this worker has at work: never claimed from itself
 */
export async function claimJob(
  db: Database,
  worker: string,
  except: readonly number[] = [],
): Promise<JobRecord | null> {
  return transact(db, async (trx) => {
    const row = (await trx('jobs')
      .where({ state: 'queued' })
      .orWhere(
        (q) =>
          void q
            .where({ state: 'running' })
            .whereNotIn('id', [...except])
            .andWhereRaw('ABS(TIMESTAMPDIFF(MICROSECOND, heartbeat_at, NOW(3))) > ?', [STALE_SECONDS * 1e6]),
      )
      .orderBy('id')
      .first()
      .forUpdate()
      .skipLocked()) as JobRow | undefined
    if (!row) return null
    if (row.attempt >= MAX_ATTEMPTS) {
      await trx('jobs')
        .where({ id: row.id })
        .update({
          state: 'failed',
          ended_at: trx.fn.now(3),
          error:
            'This was tried twice and the computing process died each time; it is given up. Try a ' +
            'coarser spacing, or fewer points.',
        })
      return null
    }
    await trx('jobs')
      .where({ id: row.id })
      .update({
        state: 'running',
        attempt: row.attempt + 1,
        worker,
        heartbeat_at: trx.fn.now(3),
        started_at: row.started_at ?? trx.fn.now(3),
        progress: 0,
        note: '',
      })
    return jobOf({ ...row, state: 'running', attempt: row.attempt + 1 })
  })
}

/** Tells that the job is alive; returns what is asked of it: `cancel` too when another worker has taken it over. */
export async function heartbeat(
  db: Database,
  job: JobRecord,
  progress: number,
  note: string,
  expectedSeconds: number | null,
): Promise<'cancel' | Hold> {
  const held = await db('jobs')
    .where({ id: job.id, attempt: job.attempt, state: 'running' })
    .update({
      heartbeat_at: db.fn.now(3),
      progress,
      note: cleanName(note, LONGEST.note),
      expected_seconds: expectedSeconds,
    })
  const row = (await db('jobs').where({ id: job.id }).first('cancel', 'hold')) as
    { cancel: number; hold: Hold } | undefined
  return held === 0 || !row || !!row.cancel ? 'cancel' : row.hold
}

/** Writes the steps and ends the job in one transaction, if this worker still holds it. */
export async function completeJob(
  db: Database,
  job: JobRecord,
  ...steps: readonly Omit<NewStep, 'who'>[]
): Promise<boolean> {
  return transact(db, async (trx) => {
    const row = (await trx('jobs')
      .where({ id: job.id, attempt: job.attempt, state: 'running' })
      .first('id')
      .forUpdate()) as { id: number } | undefined
    if (!row) return false
    let stepId = 0
    for (const step of steps) stepId = await recordStep(trx, job.pieceId, { ...step, who: job.who })
    await trx('jobs')
      .where({ id: job.id })
      .update({ state: 'done', progress: 1, step_id: stepId, ended_at: trx.fn.now(3) })
    return true
  })
}

/** Ends a job this worker still holds, with the sentence that says why. */
export async function failJob(
  db: Database,
  job: JobRecord,
  state: 'failed' | 'cancelled',
  error: string | null,
): Promise<void> {
  await db('jobs')
    .where({ id: job.id, attempt: job.attempt, state: 'running' })
    .update({ state, error, ended_at: db.fn.now(3) })
}

/** A waiting job ends at once; a running one is told to stop at its next checkpoint. */
export async function cancelJob(db: Database, id: number): Promise<boolean> {
  const row = (await db('jobs').where({ id }).whereIn('state', ['queued', 'running']).first('piece_id', 'title')) as
    { piece_id: number; title: string } | undefined
  if (!row) return false
  const waiting = await db('jobs')
    .where({ id, state: 'queued' })
    .update({ state: 'cancelled', ended_at: db.fn.now(3) })
  const told = waiting > 0 || (await db('jobs').where({ id, state: 'running' }).update({ cancel: true })) > 0
  if (told) await noteAct(db, row.piece_id, 'cancel', `Cancelled: ${row.title}`)
  return told
}

/**
 * Lets a take wait, go on, or end with what it has; false when it is not at work. Other jobs know no half: they are
 * cancelled or not.
 */
export async function holdJob(db: Database, id: number, hold: Hold): Promise<boolean> {
  const job = (await db('jobs').where({ id }).whereIn('state', ['queued', 'running']).first('request')) as
    { request: string } | undefined
  if (!job) return false
  const request = parseJson<JobRequest>(job.request)
  if (request.kind !== 'operation' || request.operation !== 'take.simulate')
    throw new GeometryError('PARAMS', 'Only a take can wait or end early; cancel this instead.')
  return (await db('jobs').where({ id }).whereIn('state', ['queued', 'running']).update({ hold })) > 0
}

/** The last jobs of a piece, oldest first. */
export async function listJobs(db: Database, pieceId: number, limit = 12): Promise<JobRecord[]> {
  const rows = (await db('jobs').where({ piece_id: pieceId }).orderBy('id', 'desc').limit(limit)) as JobRow[]
  return rows.map(jobOf).reverse()
}
