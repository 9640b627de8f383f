import { GeometryError } from '@holosoma/core'
import { bytesKept, pointedTo } from '../blobs/space'
import { isBusy } from '../jobs/jobs'
import { noteAct } from '../ledger/acts'
import { listHeads, listSteps, type StepRecord, type Track } from '../ledger/ledger'
import { transact, type Database } from '../store/database'
import { resultTrack } from './results'
import { meshChainOf } from './standing'

/*
 * What lies in the bin is removed for good by a person alone, and asked for once. The steps stay in the ledger, to be
 * read; what they left is kept for nobody and goes when the house is next tidied.
 */

export type Removable = 'take' | 'result'
const TABLE: Readonly<Record<Removable, string>> = { take: 'takes', result: 'results' }

/** What is kept for a take or a result alone, bytes; null when there is no such thing. */
export async function bytesOf(db: Database, what: Removable, id: number): Promise<number | null> {
  const row = (await db(TABLE[what]).where({ id }).first('id')) as { id: number } | undefined
  if (!row) return null
  const own = await pointedTo(db)
  for (const hash of await pointedTo(db, {}, [`${what}:${id}`])) own.delete(hash)
  return bytesKept(db, own)
}

/**
 * Removes a take or a result that lies in the bin.
 * @returns whether it was there
 * @throws CONFLICT when it is not in the bin, is worked on, or something that stands was made of it
 */
export async function removeForGood(db: Database, what: Removable, id: number): Promise<boolean> {
  return transact(db, async (trx) => {
    const found = (await trx(TABLE[what]).where({ id }).first('piece_id')) as { piece_id: number } | undefined
    if (!found) return false
    const pieceId = found.piece_id
    await trx('pieces').where({ id: pieceId }).first('id').forUpdate()
    const row = (await trx(TABLE[what]).where({ id }).first('name', 'binned')) as { name: string; binned: number }
    if (!row.binned) throw new GeometryError('CONFLICT', `“${row.name}” is not in the bin; put it there first.`)
    const track: Track = `${what}:${id}`
    if (await isBusy(trx, pieceId, [track]))
      throw new GeometryError('CONFLICT', `Something is at work on “${row.name}”; wait until it ends.`)
    const rests = what === 'take' ? await restingOn(trx, pieceId, track) : []
    if (rests.length > 0)
      throw new GeometryError(
        'CONFLICT',
        `${rests.map((n) => `“${n}”`).join(', ')} ${rests.length === 1 ? 'was' : 'were'} made from “${row.name}”; ` +
          'without it nobody could tell how. Remove that first, or leave this in the bin.',
      )
    await noteAct(trx, pieceId, 'bin', `Removed “${row.name}” for good`)
    await trx('steps').where({ piece_id: pieceId, track }).update({ gone: true })
    await trx('heads').where({ piece_id: pieceId, track }).delete()
    await trx('moves').where({ piece_id: pieceId, track }).update({ state: 'abandoned' })
    await trx(TABLE[what]).where({ id }).delete()
    return true
  })
}

/** Names of results that stand on a take's points, those in the bin among them: their record leads through it. */
async function restingOn(db: Database, pieceId: number, track: Track): Promise<string[]> {
  const steps = await listSteps(db, pieceId)
  const heads = await listHeads(db, pieceId)
  const byId = new Map(steps.map((s) => [s.id, s]))
  const left = new Set(steps.filter((s) => s.track === track).map((s) => s.outputs.take))
  const rows = (await db('results').where({ piece_id: pieceId }).select('id', 'name')) as { id: number; name: string }[]
  return rows.flatMap(({ id, name }) => {
    const chain: StepRecord[] = []
    for (let s = byId.get(heads.get(resultTrack(id)) ?? 0); s; s = byId.get(s.parentId ?? 0)) chain.unshift(s)
    const uses = meshChainOf(chain).some((s) =>
      [s.inputs.takes ?? [], s.inputs.mesh ?? []].flat().some((h) => left.has(h)),
    )
    return uses ? [name] : []
  })
}
