import { createHash } from 'node:crypto'
import { execute, type Database } from './database'

/** Largest row of bytes; packets above the server's limit would cut the connection. */
export const CHUNK_BYTES = 1 << 20

export interface BlobInfo {
  readonly sha256: string
  readonly bytes: number
}

/**
 * Stores a stream of bytes under its SHA-256: chunks first, the row that makes them count last, so that a crash leaves orphans and never half a
 * blob. The same content is kept once.
 */
export async function storeBlob(db: Database, source: AsyncIterable<Uint8Array> | Iterable<Uint8Array>, mediaType: string): Promise<BlobInfo> {
  const [id] = await db('blobs').insert({ media_type: mediaType }) as [number]
  const hash = createHash('sha256')
  let bytes = 0
  let seq = 0
  let pending: Uint8Array[] = []
  let held = 0
  const flush = async (): Promise<void> => {
    await execute(db, 'INSERT INTO chunks (blob_id, seq, data) VALUES (?, ?, ?)', [id, seq++, Buffer.concat(pending, held)])
    pending = []
    held = 0
  }
  try {
    for await (const part of source) {
      hash.update(part)
      bytes += part.length
      for (let at = 0; at < part.length; ) {
        const take = Math.min(part.length - at, CHUNK_BYTES - held)
        // A copy: streams may reuse their buffers.
        pending.push(Uint8Array.prototype.slice.call(part, at, at + take))
        held += take
        at += take
        if (held === CHUNK_BYTES) await flush()
      }
    }
    if (held > 0) await flush()
    const sha256 = hash.digest('hex')
    const known = await db('blobs').where({ sha256 }).first('id') as { id: number } | undefined
    if (known) await db('blobs').where({ id }).delete()
    else {
      try {
        await db('blobs').where({ id }).update({ sha256, bytes })
      } catch (error) {
        // Another writer finished the same content first.
        if ((error as { code?: string }).code !== 'ER_DUP_ENTRY') throw error
        await db('blobs').where({ id }).delete()
      }
    }
    return { sha256, bytes }
  } catch (error) {
    await db('blobs').where({ id }).delete().catch(() => undefined)
    throw error
  }
}

export async function blobSize(db: Database, sha256: string): Promise<number | null> {
  const row = await db('blobs').where({ sha256 }).first('bytes') as { bytes: number } | undefined
  return row ? Number(row.bytes) : null
}

/** The bytes of a blob in order, a chunk at a time. */
export async function* readBlob(db: Database, sha256: string): AsyncGenerator<Uint8Array> {
  const row = await db('blobs').where({ sha256 }).first('id', 'bytes') as { id: number; bytes: number } | undefined
  if (!row) throw new Error(`There is no stored content ${sha256.slice(0, 12)}.`)
  const chunks = Math.ceil(Number(row.bytes) / CHUNK_BYTES)
  for (let seq = 0; seq < chunks; seq++) {
    const [found] = await execute<{ data: Buffer }[]>(db, 'SELECT data FROM chunks WHERE blob_id = ? AND seq = ?', [row.id, seq])
    if (!found) throw new Error(`Content ${sha256.slice(0, 12)} lacks part ${seq}.`)
    yield found.data
  }
}

export async function readWholeBlob(db: Database, sha256: string): Promise<Uint8Array> {
  const size = await blobSize(db, sha256)
  if (size === null) throw new Error(`There is no stored content ${sha256.slice(0, 12)}.`)
  const out = new Uint8Array(size)
  let at = 0
  for await (const part of readBlob(db, sha256)) {
    out.set(part, at)
    at += part.length
  }
  return out
}

/** Content whose writer died before it counted; a day is longer than any upload. */
export async function collectOrphans(db: Database): Promise<number> {
  return db('blobs').whereNull('sha256').andWhere('created_at', '<', db.raw('NOW() - INTERVAL 1 DAY')).delete()
}
