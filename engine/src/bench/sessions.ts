import { afterEvent, checkEvent, NEW_SESSION, type BenchSession } from '@holosoma/core/bench'
import { transact, type Database } from '../store/database'
import { parseJson } from '../store/json'

interface SessionRow {
  content: string
}

/** What has happened at the bench with a piece, and how the bench stands. */
export async function readSession(db: Database, pieceId: number): Promise<BenchSession> {
  const row = (await db('sessions').where({ piece_id: pieceId }).first('content')) as SessionRow | undefined
  // What an older session did not know yet begins as it does for a new one.
  return row ? { ...NEW_SESSION, ...parseJson<BenchSession>(row.content) } : NEW_SESSION
}

/** Writes an event into the session's log. @throws PARAMS when it is no event of the bench */
export async function logEvent(db: Database, pieceId: number, value: unknown): Promise<BenchSession> {
  const event = checkEvent(value)
  return transact(db, async (trx) => {
    // The piece's row serves as the lock: two first events at once would else both insert.
    await trx('pieces').where({ id: pieceId }).first('id').forUpdate()
    const next = afterEvent(await readSession(trx, pieceId), event, Date.now())
    await trx('sessions')
      .insert({ piece_id: pieceId, content: JSON.stringify(next), revision: 1 })
      .onConflict('piece_id')
      .merge({ content: JSON.stringify(next), revision: trx.raw('revision + 1'), updated_at: trx.fn.now(3) } as never)
    return next
  })
}
