import type { Database } from '../store/database'
import { cleanName, LONGEST } from './names'

export interface PieceRow {
  readonly id: number
  readonly name: string
  readonly number: string
  readonly sample: boolean
  readonly benchPiece: string | null
}

export interface RawPiece {
  id: number
  name: string
  number: string
  sample: number
  bench_piece: string | null
}

export const pieceOf = (r: RawPiece): PieceRow => ({
  id: r.id,
  name: r.name,
  number: r.number,
  sample: !!r.sample,
  benchPiece: r.bench_piece,
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

/** All pieces, oldest first. */
export async function listPieces(db: Database): Promise<PieceRow[]> {
  return ((await db('pieces').orderBy('id')) as RawPiece[]).map(pieceOf)
}
