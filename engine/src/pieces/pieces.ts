import { GeometryError } from '@holosoma/core'
import { bytesKept, pointedTo } from '../blobs/space'
import { noteAct } from '../ledger/acts'
import { transact, type Database } from '../store/database'
import { cleanName, LONGEST } from './names'

export interface PieceRow {
  readonly id: number
  readonly name: string
  readonly number: string
  readonly sample: boolean
  readonly benchPiece: string | null
  /** Put away: off the shelf, nothing of it deleted. */
  readonly binned: boolean
}

export interface RawPiece {
  id: number
  name: string
  number: string
  sample: number
  bench_piece: string | null
  binned: number
}

export const pieceOf = (r: RawPiece): PieceRow => ({
  id: r.id,
  name: r.name,
  number: r.number,
  sample: !!r.sample,
  benchPiece: r.bench_piece,
  binned: !!r.binned,
})

/** Puts a piece on the shelf. @returns its id */
export async function createPiece(
  db: Database,
  piece: { name: string; number: string; sample?: boolean; benchPiece?: string | null },
): Promise<number> {
  const [id] = (await db('pieces').insert({
    name: cleanName(piece.name, LONGEST.pieceName) || 'A piece',
    number: cleanName(piece.number, LONGEST.pieceNumber),
    sample: piece.sample ?? false,
    bench_piece: piece.benchPiece ?? null,
  })) as [number]
  return id
}

/** Whether there is such a piece. */
export async function pieceExists(db: Database, pieceId: number): Promise<boolean> {
  return (await db('pieces').where({ id: pieceId }).first('id')) !== undefined
}

/** All pieces, oldest first, those in the bin among them. */
export async function listPieces(db: Database): Promise<PieceRow[]> {
  return ((await db('pieces').orderBy('id')) as RawPiece[]).map(pieceOf)
}

export interface PieceChange {
  name?: string
  number?: string
  /** Puts it into the bin, or takes it out. */
  binned?: boolean
}

/** @returns whether the piece is there @throws CONFLICT when something is at work on what is to be binned */
export async function updatePiece(db: Database, pieceId: number, change: PieceChange): Promise<boolean> {
  return transact(db, async (trx) => {
    const piece = (await trx('pieces').where({ id: pieceId }).first().forUpdate()) as RawPiece | undefined
    if (!piece) return false
    const name = change.name === undefined ? undefined : cleanName(change.name, LONGEST.pieceName)
    if (name === '') throw new GeometryError('PARAMS', 'A piece needs a name.')
    if (name !== undefined && name !== piece.name)
      await noteAct(trx, pieceId, 'rename', `Called the piece “${piece.name}” now “${name}”`)
    if (change.binned !== undefined && change.binned !== !!piece.binned) {
      if (change.binned) await refuseAtWork(trx, pieceId, piece.name)
      await noteAct(
        trx,
        pieceId,
        'bin',
        change.binned ? `Put “${piece.name}” into the bin` : `Took “${piece.name}” out of the bin`,
      )
    }
    const columns = {
      ...(name !== undefined && { name }),
      ...(change.number !== undefined && { number: cleanName(change.number, LONGEST.pieceNumber) }),
      ...(change.binned !== undefined && { binned: change.binned }),
    }
    if (Object.keys(columns).length > 0) await trx('pieces').where({ id: pieceId }).update(columns)
    return true
  })
}

/**
 * Removes a piece that lies in the bin for good, with its history; contents that nothing else points to go when the
 * house is next tidied.
 * @returns whether it was there @throws CONFLICT when it is not in the bin, or something is at work on it
 */
export async function removePiece(db: Database, pieceId: number): Promise<boolean> {
  return transact(db, async (trx) => {
    const piece = (await trx('pieces').where({ id: pieceId }).first().forUpdate()) as RawPiece | undefined
    if (!piece) return false
    if (!piece.binned)
      throw new GeometryError('CONFLICT', `“${piece.name}” is on the shelf; put it into the bin first.`)
    await refuseAtWork(trx, pieceId, piece.name)
    await noteAct(trx, null, 'bin', `Removed “${piece.name}” for good`)
    await trx('pieces').where({ id: pieceId }).delete()
    return true
  })
}

/** What is kept for this piece alone, bytes. */
export async function pieceBytes(db: Database, pieceId: number): Promise<number> {
  const own = await pointedTo(db, { only: pieceId })
  for (const hash of await pointedTo(db, { except: pieceId })) own.delete(hash)
  return bytesKept(db, own)
}

async function refuseAtWork(db: Database, pieceId: number, name: string): Promise<void> {
  const busy = await db('jobs').where({ piece_id: pieceId }).whereIn('state', ['queued', 'running']).first('id')
  if (busy)
    throw new GeometryError('CONFLICT', `Something is at work on “${name}”; wait until it ends, or cancel it first.`)
}
