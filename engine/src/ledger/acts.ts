import type { Database } from '../store/database'

/* What people did that left no step: moves back and forth in the ledger, names, downloads, device profiles. */

export type ActKind =
  'undo' | 'redo' | 'rename' | 'pose' | 'download' | 'device' | 'lock' | 'fix' | 'cancel' | 'show' | 'bin' | 'leave'

export interface Act {
  readonly id: number
  readonly kind: ActKind
  readonly text: string
  readonly who: string
  readonly at: string
}

/** Who acts where nobody signs in: the one workplace. */
export const BENCH = 'bench'

/** Call inside the transaction that does what is noted. @param pieceId null for what concerns the house */
export async function noteAct(
  db: Database,
  pieceId: number | null,
  kind: ActKind,
  text: string,
  who = BENCH,
): Promise<void> {
  await db('acts').insert({ piece_id: pieceId, kind, text: [...text].slice(0, 400).join(''), who })
}

const MAX = 2000

/** The last acts on a piece, or on the house, oldest first. */
export async function listActs(db: Database, pieceId: number | null): Promise<Act[]> {
  const rows = (await db('acts')
    .where({ piece_id: pieceId })
    .orderBy('id', 'desc')
    .limit(MAX)
    .select('id', 'kind', 'text', 'who', 'created_at')) as {
    id: number
    kind: ActKind
    text: string
    who: string
    created_at: Date
  }[]
  return rows
    .reverse()
    .map((r) => ({ id: r.id, kind: r.kind, text: r.text, who: r.who, at: new Date(r.created_at).toISOString() }))
}
