import type { Finding } from '@holosoma/core'
import type { Database } from '../store/database'
import { recordPhotos, type NewPhoto } from '../photos/photo-store'
import { parseJson } from '../store/json'

/**
 * A line of history of its own: each take, the join, the mesh, what was written of the piece, the looks at what is
 * missing, and the photos.
 */
export type Track =
  `take:${number}` | `result:${number}` | 'join' | 'brief' | 'plan' | 'areas' | 'parts' | 'check' | 'photos'

export interface StepRecord {
  readonly id: number
  readonly track: Track
  readonly parentId: number | null
  readonly operation: string
  readonly version: number
  readonly params: Record<string, unknown>
  /** Input name → hash or hashes. */
  readonly inputs: Record<string, string | string[]>
  /** Output name → hash. */
  readonly outputs: Record<string, string>
  readonly figures: Record<string, number | string | boolean>
  readonly findings: readonly Finding[]
  /** What the operation told beyond that, as plain data; null where nothing. Read it with `detailsOf`. */
  readonly details: unknown
  readonly description: string
  readonly who: string
  readonly durationMs: number
  /** Work units of the operation's estimate; what a unit takes on this machine follows from earlier steps. */
  readonly work: number | null
  readonly createdAt: string
  /** Its line was removed for good: what it left is not kept. */
  readonly gone?: true
}

export type NewStep = Omit<StepRecord, 'id' | 'parentId' | 'createdAt' | 'details'> & {
  readonly details?: unknown
  readonly photos?: readonly NewPhoto[]
  /** The step of another line this one goes on from; left out, the step its own line stands on. */
  readonly begins?: number
}

interface StepRow {
  id: number
  track: Track
  parent_id: number | null
  operation: string
  version: number
  params: string
  inputs: string
  outputs: string
  figures: string
  findings: string
  details: string | null
  description: string
  who: string
  duration_ms: number
  work: number | null
  created_at: Date
  gone: number
}

function stepOf(row: StepRow): StepRecord {
  return {
    id: row.id,
    track: row.track,
    parentId: row.parent_id,
    operation: row.operation,
    version: row.version,
    params: parseJson(row.params as never),
    inputs: parseJson(row.inputs as never),
    outputs: parseJson(row.outputs as never),
    figures: parseJson(row.figures as never),
    findings: parseJson(row.findings as never),
    details: row.details === null ? null : parseJson(row.details as never),
    description: row.description,
    who: row.who,
    durationMs: row.duration_ms,
    work: row.work,
    createdAt: new Date(row.created_at).toISOString(),
    ...(row.gone && { gone: true as const }),
  }
}

/**
 * Writes a step and moves its track's head to it. What had been undone stays in the ledger but can no longer be redone.
 * Call inside a transaction.
 */
export async function recordStep(db: Database, pieceId: number, step: NewStep): Promise<number> {
  await db('pieces').where({ id: pieceId }).first('id').forUpdate()
  const head = (await db('heads').where({ piece_id: pieceId, track: step.track }).first('step_id').forUpdate()) as
    { step_id: number | null } | undefined
  const parent = head?.step_id ?? null
  const [id] = (await db('steps').insert({
    piece_id: pieceId,
    track: step.track,
    parent_id: step.begins ?? parent,
    operation: step.operation,
    version: step.version,
    params: JSON.stringify(step.params),
    inputs: JSON.stringify(step.inputs),
    outputs: JSON.stringify(step.outputs),
    figures: JSON.stringify(step.figures),
    findings: JSON.stringify(step.findings),
    details: step.details === undefined ? null : JSON.stringify(step.details),
    description: step.description,
    who: step.who,
    duration_ms: Math.round(step.durationMs),
    work: step.work,
  })) as [number]
  await recordPhotos(db, pieceId, id, step.photos ?? [])
  await db('heads')
    .insert({ piece_id: pieceId, track: step.track, step_id: id })
    .onConflict(['piece_id', 'track'])
    .merge()
  await db('moves').where({ piece_id: pieceId, state: 'undone' }).update({ state: 'abandoned' })
  await db('moves').insert({ piece_id: pieceId, track: step.track, from_step: parent, to_step: id })
  return id
}

/** What a step keeps, but for its parameters. */
const COLUMNS = [
  'id',
  'track',
  'parent_id',
  'operation',
  'version',
  'inputs',
  'outputs',
  'figures',
  'findings',
  'details',
  'description',
  'who',
  'duration_ms',
  'work',
  'created_at',
  'gone',
] as const

/** All steps in order. What was written in briefs and plans is left out: it is large, and asked for by itself. */
export async function listSteps(db: Database, pieceId: number): Promise<StepRecord[]> {
  return (
    (await db('steps')
      .where({ piece_id: pieceId })
      .orderBy('id')
      .select(
        ...COLUMNS,
        db.raw("IF(track IN ('brief', 'plan', 'areas', 'parts'), '{}', params) AS params"),
      )) as StepRow[]
  ).map(stepOf)
}

/** Steps by their numbers, with all they keep. */
export const stepsById = async (db: Database, ids: readonly number[]): Promise<StepRecord[]> =>
  ((await db('steps').whereIn('id', [...ids])) as StepRow[]).map(stepOf)

/** The step each track stands on. */
export async function listHeads(db: Database, pieceId: number): Promise<Map<Track, number>> {
  const rows = (await db('heads').where({ piece_id: pieceId }).whereNotNull('step_id')) as {
    track: Track
    step_id: number
  }[]
  return new Map(rows.map((r) => [r.track, r.step_id]))
}

/** Seconds a unit of an operation's work takes here: median of its last steps, or null before the first. */
export async function secondsPerUnit(db: Database, operation: string): Promise<number | null> {
  const rows = (await db('steps')
    .where({ operation })
    .andWhere('work', '>', 0)
    .orderBy('id', 'desc')
    .limit(7)
    .select('duration_ms', 'work')) as { duration_ms: number; work: number }[]
  const speeds = rows.map((r) => r.duration_ms / 1000 / r.work).sort((a, b) => a - b)
  return speeds[speeds.length >> 1] ?? null
}

/**
 * Seconds this machine took for a million points over tidying, joining and making the skin, from its last skins; null
 * before the first.
 */
export async function secondsPerMillionPoints(db: Database): Promise<number | null> {
  const skins = (await db('steps')
    .where({ operation: 'skin.make' })
    .orderBy('id', 'desc')
    .limit(5)
    .select('id', 'piece_id', 'duration_ms')) as { id: number; piece_id: number; duration_ms: number }[]
  const speeds: number[] = []
  for (const skin of skins) {
    const before = (await db('steps')
      .where({ piece_id: skin.piece_id })
      .andWhere('id', '<', skin.id)
      .select('operation', 'duration_ms', 'figures')) as { operation: string; duration_ms: number; figures: string }[]
    const points = before
      .filter((s) => s.operation.startsWith('take.'))
      .reduce((n, s) => n + Number((parseJson(s.figures as never) as { points?: number }).points ?? 0), 0)
    const work = before
      .filter((s) => s.operation.startsWith('tidy.') || s.operation.startsWith('join.'))
      .reduce((n, s) => n + s.duration_ms, skin.duration_ms)
    if (points > 0) speeds.push(work / 1000 / (points / 1e6))
  }
  speeds.sort((a, b) => a - b)
  return speeds[speeds.length >> 1] ?? null
}
