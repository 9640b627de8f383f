import type { Database } from '../store/database'
import { parseJson } from '../store/json'

/*
 * What a stored content is, and whether it can be had again. Steps are pure: what one left can be made again from what
 * it was made of. What came in from outside cannot.
 */

interface Row {
  id: number
  piece: string
  operation: string
  description: string
  inputs: string | object
  outputs: string | object
}

/** A sentence: what is damaged, what the fault is, what can be done. */
export async function damageOf(db: Database, sha256: string, fault: string): Promise<string> {
  const like = `%${sha256}%`
  const rows = (await db('steps')
    .join('pieces', 'pieces.id', 'steps.piece_id')
    .where('steps.outputs', 'like', like)
    .orWhere('steps.inputs', 'like', like)
    .orderBy('steps.id')
    .limit(20)
    .select(
      'steps.id',
      'pieces.name as piece',
      'steps.operation',
      'steps.description',
      'steps.inputs',
      'steps.outputs',
    )) as Row[]
  const made = rows.find((r) => hashesIn(parseJson(r.outputs)).includes(sha256))
  const short = sha256.slice(0, 12)
  if (made) {
    const what = `What step ${made.id} of “${made.piece}” left (${made.description}; ${short})`
    if (made.operation === 'take.import')
      return `${what} ${fault}. Drop its file again, or bring the database back from a copy.`
    const missing = await missingOf(db, hashesIn(parseJson(made.inputs)))
    return missing.length === 0
      ? `${what} ${fault}. It can be made again: what it was made of is here. Undo to before that step and do it again.`
      : `${what} ${fault}. What it was made of is gone too; bring the database back from a copy.`
  }
  const used = rows[0]
  if (used)
    return (
      `The file behind step ${used.id} of “${used.piece}” (${used.description}; ${short}) ` +
      `${fault}. It came from outside: drop it again, or bring the database back from a copy.`
    )
  const shape = (await db('shapes').where({ preview_hash: sha256 }).orWhere({ thumb_hash: sha256 }).first('hash')) as
    { hash: string } | undefined
  if (shape)
    return (
      `The small picture of a shape (${short}) ${fault}. The shape itself is kept apart from it; ` +
      'doing its step again makes both anew.'
    )
  const photo = (await db('photos').where({ sha256 }).first('name')) as { name: string } | undefined
  if (photo)
    return `The photo “${photo.name}” (${short}) ${fault}. Drop it again, or bring the database back from a copy.`
  return `Stored content ${short} ${fault}. Nothing in the ledger says what it was.`
}

/** All hashes a value of a step names. */
export function hashesIn(value: unknown): string[] {
  return JSON.stringify(value ?? null).match(/\b[0-9a-f]{64}\b/g) ?? []
}

async function missingOf(db: Database, hashes: readonly string[]): Promise<string[]> {
  if (hashes.length === 0) return []
  const here = (await db('blobs')
    .whereIn('sha256', [...new Set(hashes)])
    .select('sha256')) as { sha256: string }[]
  return hashes.filter((h) => !here.some((r) => r.sha256 === h))
}
