import { statfsSync } from 'node:fs'
import { hashesIn } from './damage'
import type { Database } from '../store/database'
import type { Track } from '../ledger/ledger'
import { parseJson } from '../store/json'

/** Kept free beside what is written, bytes: a database that finds no room ends. */
const RESERVE_BYTES = 600e6

/** Content is collected when nothing has pointed to it for longer than any upload or job takes, hours. */
const COLLECT_HOURS = 24

export interface Space {
  /** What the house holds, bytes, and how many contents. */
  readonly usedBytes: number
  readonly contents: number
  /** Free where the database lies, bytes; null when that is not known here. */
  readonly freeBytes: number | null
  /** Free beyond the reserve; null when that is not known. */
  readonly roomBytes: number | null
}

/** Free bytes where the database's data lie; null when they lie elsewhere. */
export function freeBytes(folder = process.env.HOLOSOMA_DATA_DIR): number | null {
  if (!folder) return null
  try {
    const { bavail, bsize } = statfsSync(folder)
    return bavail * bsize
  } catch {
    return null
  }
}

const reserve = (): number => Number(process.env.HOLOSOMA_RESERVE_BYTES ?? RESERVE_BYTES)

/** Whether so many bytes can be written and the reserve stays. True where the disk cannot be seen. */
export function hasRoom(bytes: number): boolean {
  const free = freeBytes()
  return free === null || free - bytes >= reserve()
}

/** The sentence for when there is no room; null when there is. */
export function noRoom(bytes: number, what: string): string | null {
  if (hasRoom(bytes)) return null
  const mb = (n: number): string => `${Math.max(0, Math.round(n / 1e6)).toLocaleString('en')} MB`
  return (
    `The disk is nearly full: ${mb(freeBytes() ?? 0)} are free, and ${what} needs ` +
    `${mb(bytes + reserve())} with what must stay free. Make room on the disk and try again; ` +
    'nothing was changed.'
  )
}

/** How much room blobs take, and how much is left, bytes. */
export async function spaceUsed(db: Database): Promise<Space> {
  const row = (await db('blobs').whereNotNull('sha256').sum({ bytes: 'bytes' }).count({ n: '*' }).first()) as
    { bytes: string | null; n: number } | undefined
  const free = freeBytes()
  return {
    usedBytes: Number(row?.bytes ?? 0),
    contents: Number(row?.n ?? 0),
    freeBytes: free,
    roomBytes: free === null ? null : Math.max(0, free - reserve()),
  }
}

interface StepTexts {
  readonly track: Track
  readonly gone: number
  readonly inputs: string
  readonly outputs: string
  readonly params: string
}

/**
 * Every content that a step, a job at work, a photo or a kept choice points to, with the small pictures that belong to
 * it.
 * @param pieces of one piece alone, or of all but one; left out, of the whole house
 * @param gone lines that are looked at as if they were removed for good
 */
export async function pointedTo(
  db: Database,
  pieces: { readonly only?: number; readonly except?: number } = {},
  gone: readonly Track[] = [],
): Promise<Set<string>> {
  const out = new Set<string>()
  const of = (table: string) => {
    const rows = db(table)
    if (pieces.only !== undefined) void rows.where({ piece_id: pieces.only })
    if (pieces.except !== undefined) void rows.whereNot({ piece_id: pieces.except })
    return rows
  }
  const addAll = (value: unknown): void => {
    for (const h of hashesIn(value)) out.add(h)
  }
  // Plans too: the scan that stands in for a piece may be held by its plan alone.
  const steps = (await of('steps').select('track', 'gone', 'inputs', 'outputs', 'params')) as StepTexts[]
  const removed = new Set<string>()
  const left = new Set<string>()
  for (const { track, gone: isGone, ...texts } of steps) {
    const [inputs, outputs, params] = [texts.inputs, texts.outputs, texts.params].map((text) =>
      hashesIn(parseJson(text as never)),
    )
    // What a removed line was made of is for others to keep; what it left is not kept by what merely was made of it.
    if (isGone || gone.includes(track)) outputs.forEach((h) => removed.add(h))
    else {
      outputs.forEach((h) => left.add(h))
      for (const h of [...inputs, ...outputs, ...params]) out.add(h)
    }
  }
  for (const h of removed) if (!left.has(h)) out.delete(h)
  for (const j of (await of('jobs').whereIn('state', ['queued', 'running']).select('request')) as { request: string }[])
    addAll(parseJson(j.request as never))
  for (const p of (await of('photos').select('sha256')) as { sha256: string }[]) out.add(p.sha256)
  for (const s of (await of('selections').select('shape_hash', 'selection_hash')) as {
    shape_hash: string
    selection_hash: string
  }[]) {
    out.add(s.shape_hash)
    out.add(s.selection_hash)
  }
  for (const s of (await db('shapes').select('hash', 'preview_hash', 'thumb_hash')) as {
    hash: string
    preview_hash: string | null
    thumb_hash: string | null
  }[]) {
    if (!out.has(s.hash)) continue
    if (s.preview_hash) out.add(s.preview_hash)
    if (s.thumb_hash) out.add(s.thumb_hash)
  }
  return out
}

/** How much of these contents is kept, bytes. */
export async function bytesKept(db: Database, hashes: ReadonlySet<string>): Promise<number> {
  if (hashes.size === 0) return 0
  const row = (await db('blobs')
    .whereIn('sha256', [...hashes])
    .sum({ bytes: 'bytes' })
    .first()) as { bytes: string | null } | undefined
  return Number(row?.bytes ?? 0)
}

/**
 * Takes away what nothing points to and nobody has wanted for a day: content whose writer died before it counted,
 * results of jobs that came to nothing, archives that were unpacked. One at a time over all workers.
 * @returns how many contents went, and their bytes
 */
export async function collectUnused(db: Database): Promise<{ contents: number; bytes: number }> {
  const done = { contents: 0, bytes: 0 }
  // The lock belongs to a connection, so one is kept for it.
  return db.transaction(async (lock) => {
    const [[{ held }]] = (await lock.raw("SELECT GET_LOCK('holosoma-collect', 0) AS held")) as [[{ held: number }]]
    if (!held) return done
    try {
      return await collect(db, done)
    } finally {
      await lock.raw("SELECT RELEASE_LOCK('holosoma-collect')")
    }
  })
}

async function collect(
  db: Database,
  done: { contents: number; bytes: number },
): Promise<{ contents: number; bytes: number }> {
  const old = db.raw('NOW(3) - INTERVAL ? HOUR', [COLLECT_HOURS])
  done.contents += await db('blobs').whereNull('sha256').andWhere('created_at', '<', old).delete()
  const keep = await pointedTo(db)
  const idle = (await db('blobs')
    .whereNotNull('sha256')
    .andWhere('touched_at', '<', old)
    .select('id', 'sha256', 'bytes')) as { id: number; sha256: string; bytes: number }[]
  for (const blob of idle) {
    if (keep.has(blob.sha256)) continue
    // Wanted again in between: it is touched, and stays.
    const gone = await db('blobs').where({ id: blob.id }).andWhere('touched_at', '<', old).delete()
    if (gone === 0) continue
    await db('shapes').where({ hash: blob.sha256 }).delete()
    done.contents++
    done.bytes += Number(blob.bytes)
  }
  return done
}
