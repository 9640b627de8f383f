import { GeometryError } from '@holosoma/core'
import { noteAct } from './acts'
import { transact, type Database } from '../store/database'
import { isBusy } from '../jobs/jobs'
import { resultTrack } from '../pieces/results'
import type { Track } from './ledger'

/* Undo and redo over all lines of a piece's history, in the order in which things were done. */

interface MoveRow {
  id: number
  track: Track
  from_step: number | null
  to_step: number | null
}

/** Moves the head of the last change one step back. Returns the step undone, or null when there is nothing to undo. */
export async function undo(db: Database, pieceId: number): Promise<number | null> {
  return transact(db, async (trx) => {
    // One after the other: the piece's row is the lock.
    await trx('pieces').where({ id: pieceId }).first('id').forUpdate()
    const move = (await trx('moves')
      .where({ piece_id: pieceId, state: 'done' })
      .whereNotIn('track', await inTheBin(trx, pieceId))
      .orderBy('id', 'desc')
      .first()
      .forUpdate()) as MoveRow | undefined
    if (!move) return null
    await refuseAtWork(trx, pieceId, move.track)
    await trx('heads').where({ piece_id: pieceId, track: move.track }).update({ step_id: move.from_step })
    await trx('moves').where({ id: move.id }).update({ state: 'undone' })
    await noteAct(trx, pieceId, 'undo', `Undone: ${await describeStep(trx, move.to_step)}`)
    return move.to_step
  })
}

/**
 * Does again what was undone last.
 * @returns the step it leads to; null where there is nothing
 * @throws CONFLICT while a job works there
 */
export async function redo(db: Database, pieceId: number): Promise<number | null> {
  return transact(db, async (trx) => {
    await trx('pieces').where({ id: pieceId }).first('id').forUpdate()
    const move = (await trx('moves')
      .where({ piece_id: pieceId, state: 'undone' })
      .whereNotIn('track', await inTheBin(trx, pieceId))
      .orderBy('id')
      .first()
      .forUpdate()) as MoveRow | undefined
    if (!move) return null
    await refuseAtWork(trx, pieceId, move.track)
    await trx('heads').where({ piece_id: pieceId, track: move.track }).update({ step_id: move.to_step })
    await trx('moves').where({ id: move.id }).update({ state: 'done' })
    await noteAct(trx, pieceId, 'redo', `Done again: ${await describeStep(trx, move.to_step)}`)
    return move.to_step
  })
}

/** Lines of takes and results that lie in the bin: nothing moves there while nobody sees it. */
async function inTheBin(db: Database, pieceId: number): Promise<Track[]> {
  const ids = async (table: string): Promise<number[]> =>
    ((await db(table).where({ piece_id: pieceId, binned: true }).select('id')) as { id: number }[]).map((r) => r.id)
  return [...(await ids('results')).map(resultTrack), ...(await ids('takes')).map((id): Track => `take:${id}`)]
}

async function describeStep(db: Database, id: number | null): Promise<string> {
  const row =
    id === null
      ? undefined
      : ((await db('steps').where({ id }).first('description')) as { description: string } | undefined)
  return row ? `step ${id}, ${row.description}` : 'a step'
}

/** A step that is being made would stand on one that is gone. @throws CONFLICT */
async function refuseAtWork(db: Database, pieceId: number, track: Track): Promise<void> {
  if (await isBusy(db, pieceId, [track]))
    throw new GeometryError(
      'CONFLICT',
      'Something is at work on the very step that would change; wait until it ends, or cancel it first.',
    )
}

/** Whether there is anything to undo, and to redo. */
export async function historyState(db: Database, pieceId: number): Promise<{ canUndo: boolean; canRedo: boolean }> {
  const rows = (await db('moves')
    .where({ piece_id: pieceId })
    .whereNotIn('track', await inTheBin(db, pieceId))
    .groupBy('state')
    .select('state')) as { state: string }[]
  return { canUndo: rows.some((r) => r.state === 'done'), canRedo: rows.some((r) => r.state === 'undone') }
}
