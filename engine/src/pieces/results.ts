import { GeometryError } from '@holosoma/core'
import { isBusy } from '../jobs/jobs'
import { BENCH, noteAct } from '../ledger/acts'
import { listHeads, recordStep, type Track } from '../ledger/ledger'
import { transact, type Database } from '../store/database'
import { cleanName, LONGEST } from './names'

/*
 * Results: more than one skin of a piece. A result is a line of mesh steps, begun by a skin, by a mesh that was taken
 * as one, or by another result as it stood at one of its steps. The one that was shown last is the skin of the piece.
 */

export const resultTrack = (id: number): Track => `result:${id}`

/** A result as its row has it. */
export interface RawResult {
  id: number
  name: string
  purpose: string
  note: string
  ordinal: number
  /** Grows with every showing: the highest is the skin. */
  shown: number
  binned: number
  hidden: number
}

/**
 * A new result with a name that is not yet used in the piece; it is the one that is shown, as soon as it has a mesh. A
 * result to which nothing ever came (its job was cancelled, refused or undone) is begun again instead.
 * @param behind it is not to be shown in the place of the one that is
 */
export async function createResult(
  db: Database,
  pieceId: number,
  given: string,
  behind = false,
): Promise<{ id: number; name: string }> {
  const wanted = cleanName(given, LONGEST.resultName) || 'skin'
  return transact(db, async (trx) => {
    await trx('pieces').where({ id: pieceId }).first('id').forUpdate()
    const rows = (await trx('results').where({ piece_id: pieceId })) as RawResult[]
    const shown = behind ? 0 : Math.max(0, ...rows.map((r) => r.shown)) + 1
    for (const row of rows) {
      if (row.binned || (await hasBegun(trx, pieceId, row.id))) continue
      await trx('results').where({ id: row.id }).update({ shown })
      return { id: row.id, name: row.name }
    }
    const name = unused(wanted, rows)
    const ordinal = Math.max(0, ...rows.map((r) => r.ordinal)) + 1
    const [id] = (await trx('results').insert({ piece_id: pieceId, name, ordinal, shown })) as [number]
    return { id, name }
  })
}

const unused = (wanted: string, rows: readonly RawResult[]): string => {
  const names = new Set(rows.map((r) => r.name))
  let name = wanted
  for (let n = 2; names.has(name); n++) name = `${wanted} ${n}`
  return name
}

/** Whether anything stands on the line of a result, stood there and can be done again, or is on its way. */
async function hasBegun(db: Database, pieceId: number, id: number): Promise<boolean> {
  const track = resultTrack(id)
  const any = (await db('steps').where({ piece_id: pieceId, track }).first('id')) as { id: number } | undefined
  return any !== undefined || (await isBusy(db, pieceId, [track]))
}

/** Which piece a result is of; null when there is no such result. */
export async function pieceOfResult(db: Database, id: number): Promise<number | null> {
  const row = (await db('results').where({ id }).first('piece_id')) as { piece_id: number } | undefined
  return row?.piece_id ?? null
}

/** Whether a result of the piece is being made or worked on. */
export async function resultsAtWork(db: Database, pieceId: number): Promise<boolean> {
  const job = await db('jobs')
    .where({ piece_id: pieceId })
    .whereIn('state', ['queued', 'running'])
    .where('track', 'like', 'result:%')
    .first('id')
  return job !== undefined
}

export interface ResultChange {
  name?: string
  purpose?: string
  note?: string
  /** Makes it the skin of the piece; a hidden one shows again. */
  shown?: true
  /** Folds it away on the contact sheet; it is kept, and no longer the skin. */
  hidden?: boolean
  /** Puts it into the bin, or takes it out. */
  binned?: boolean
}

/**
 * @returns whether the result is there
 * @throws CONFLICT when its name is another's, or something is at work on it that the bin would swallow
 */
export async function updateResult(db: Database, id: number, change: ResultChange): Promise<boolean> {
  return transact(db, async (trx) => {
    const found = (await trx('results').where({ id }).first('piece_id')) as { piece_id: number } | undefined
    if (!found) return false
    const pieceId = found.piece_id
    await trx('pieces').where({ id: pieceId }).first('id').forUpdate()
    const rows = (await trx('results').where({ piece_id: pieceId })) as RawResult[]
    const row = rows.find((r) => r.id === id)!
    const name = change.name === undefined ? undefined : cleanName(change.name, LONGEST.resultName)
    if (name === '') throw new GeometryError('PARAMS', 'A result needs a name.')
    if (name !== undefined && name !== row.name) {
      if (rows.some((r) => r.id !== id && r.name === name))
        throw new GeometryError('CONFLICT', `Another result is called “${name}” already; call this one something else.`)
      await noteAct(trx, pieceId, 'rename', `Called “${row.name}” now “${name}”`)
    }
    if (change.binned !== undefined && change.binned !== !!row.binned) {
      if (change.binned && (await isBusy(trx, pieceId, [resultTrack(id)])))
        throw new GeometryError(
          'CONFLICT',
          `Something is at work on “${row.name}”; wait until it ends, or cancel it first.`,
        )
      await noteAct(
        trx,
        pieceId,
        'bin',
        change.binned ? `Put “${row.name}” into the bin` : `Took “${row.name}” out of the bin`,
      )
    }
    const hidden = change.shown ? false : change.hidden
    if (hidden !== undefined && hidden !== !!row.hidden) {
      if (hidden && !(await anotherShows(trx, pieceId, rows, id)))
        throw new GeometryError('CONFLICT', `“${row.name}” is the only skin that shows; it cannot be hidden.`)
      await noteAct(trx, pieceId, 'show', hidden ? `Hid “${row.name}”` : `Showed “${row.name}” again`)
    }
    if (change.shown) await noteAct(trx, pieceId, 'show', `“${row.name}” is the skin`)
    const columns = {
      ...(name !== undefined && { name }),
      ...(change.purpose !== undefined && { purpose: cleanName(change.purpose, LONGEST.purpose) }),
      ...(change.note !== undefined && { note: cleanName(change.note, LONGEST.resultNote) }),
      ...(change.binned !== undefined && { binned: change.binned }),
      ...(hidden !== undefined && { hidden }),
      ...(change.shown && { shown: Math.max(...rows.map((r) => r.shown)) + 1 }),
    }
    if (Object.keys(columns).length > 0) await trx('results').where({ id }).update(columns)
    return true
  })
}

/** Whether a result besides this one shows, with something that stands on it. */
async function anotherShows(trx: Database, pieceId: number, rows: readonly RawResult[], id: number): Promise<boolean> {
  const heads = await listHeads(trx, pieceId)
  return rows.some((r) => r.id !== id && !r.hidden && !r.binned && heads.has(resultTrack(r.id)))
}

/**
 * A result beside another, begun where that one stands: its steps so far are those of the other, and what is done to
 * either no longer touches the other. Nothing is stored twice.
 */
export async function deriveResult(
  db: Database,
  pieceId: number,
  from: { readonly id: number; readonly name: string; readonly stepId: number; readonly mesh: string },
  name: string,
  behind = false,
): Promise<{ id: number; name: string }> {
  const made = await createResult(db, pieceId, name, behind)
  await transact(db, (trx) =>
    recordStep(trx, pieceId, {
      track: resultTrack(made.id),
      begins: from.stepId,
      operation: 'result.derive',
      version: 1,
      params: { of: from.name },
      inputs: { mesh: from.mesh },
      outputs: { mesh: from.mesh },
      figures: {},
      findings: [],
      description: `Began “${made.name}” with “${from.name}” as it stood`,
      who: BENCH,
      durationMs: 0,
      work: null,
    }),
  )
  return made
}
