import type { Database } from '../store/database'
import { cleanName, LONGEST } from './names'

/** A choice of points that was kept under a name; it stands for as long as its take is as it was then. */
export interface KeptSelection {
  readonly id: number
  readonly takeId: number
  readonly name: string
  readonly shapeHash: string
  readonly selectionHash: string
  readonly chosen: number
}

interface Row {
  id: number
  take_id: number
  name: string
  shape_hash: string
  selection_hash: string
  chosen: number
}

/** The choices that were kept under a name. */
export async function listSelections(db: Database, pieceId: number): Promise<KeptSelection[]> {
  const rows = (await db('selections').where({ piece_id: pieceId }).orderBy('id')) as Row[]
  return rows.map((r) => ({
    id: r.id,
    takeId: r.take_id,
    name: r.name,
    shapeHash: r.shape_hash,
    selectionHash: r.selection_hash,
    chosen: r.chosen,
  }))
}

/** Keeps a selection; one of the same name on the same take is replaced. */
export async function nameSelection(db: Database, pieceId: number, kept: Omit<KeptSelection, 'id'>): Promise<void> {
  await db('selections')
    .insert({
      piece_id: pieceId,
      take_id: kept.takeId,
      name: cleanName(kept.name, LONGEST.selectionName),
      shape_hash: kept.shapeHash,
      selection_hash: kept.selectionHash,
      chosen: kept.chosen,
    })
    .onConflict(['take_id', 'name'])
    .merge()
}

/** Forgets a kept choice. @returns whether there was one */
export async function dropSelection(db: Database, pieceId: number, id: number): Promise<boolean> {
  return (await db('selections').where({ id, piece_id: pieceId }).delete()) > 0
}
