import { BENCH } from './acts'
import { GeometryError } from '@holosoma/core'
import { transact, type Database } from '../store/database'
import { recordStep } from './ledger'

/**
 * Notes that an act that was proposed for a take is not wanted: a step like any other, so that it stands in the ledger
 * and can be undone.
 * The take stays as it is.
 */
export async function leaveProposal(db: Database, takeId: number, act: string, words: string): Promise<number> {
  return transact(db, async (trx) => {
    const take = (await trx('takes').where({ id: takeId }).first('piece_id', 'locked', 'name')) as
      { piece_id: number; locked: number; name: string } | undefined
    if (!take) throw new GeometryError('PARAMS', 'That take is not here.')
    if (take.locked)
      throw new GeometryError('CONFLICT', `“${take.name}” is locked; unlock it on the contact sheet first.`)
    return recordStep(trx, take.piece_id, {
      track: `take:${takeId}`,
      operation: 'tidy.leave',
      version: 1,
      params: { act },
      inputs: {},
      outputs: {},
      figures: {},
      findings: [],
      description: `Left as it is: ${words}`,
      who: BENCH,
      durationMs: 0,
      work: null,
    })
  })
}
