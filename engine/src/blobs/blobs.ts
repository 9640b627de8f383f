import { createHash, webcrypto } from 'node:crypto'
import { GeometryError } from '@holosoma/core'
import { damageOf } from './damage'
import { execute, type Database } from '../store/database'

/** Largest row of bytes; packets above the server's limit would cut the connection. */
export const CHUNK_BYTES = 1 << 20

export interface BlobInfo {
  readonly sha256: string
  readonly bytes: number
}

/**
 * Stores a stream of bytes under its SHA-256: chunks first, the row that makes them count last, so that a crash leaves
 * orphans and never half a blob. The same content is kept once; that it was wanted again is noted, so that the
 * collector leaves it.
 */
export async function storeBlob(
  db: Database,
  source: AsyncIterable<Uint8Array> | Iterable<Uint8Array>,
  mediaType: string,
): Promise<BlobInfo> {
  const [id] = (await db('blobs').insert({ media_type: mediaType })) as [number]
  const hash = createHash('sha256')
  let bytes = 0
  let seq = 0
  let pending: Uint8Array[] = []
  let held = 0
  const flush = async (): Promise<void> => {
    await execute(db, 'INSERT INTO chunks (blob_id, seq, data) VALUES (?, ?, ?)', [
      id,
      seq++,
      Buffer.concat(pending, held),
    ])
    pending = []
    held = 0
  }
  try {
    for await (const part of source) {
      hash.update(part)
      bytes += part.length
      for (let at = 0; at < part.length;) {
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
    if (!(await wantAgain(db, sha256, id))) {
      try {
        await db('blobs').where({ id }).update({ sha256, bytes })
      } catch (error) {
        // Another writer finished the same content first.
        if ((error as { code?: string }).code !== 'ER_DUP_ENTRY') throw error
        await wantAgain(db, sha256, id)
      }
    }
    return { sha256, bytes }
  } catch (error) {
    await db('blobs')
      .where({ id })
      .delete()
      .catch(() => undefined)
    throw error
  }
}

/** Whether the content is here already; then it counts as touched, and the new copy goes. */
async function wantAgain(db: Database, sha256: string, copy: number): Promise<boolean> {
  const known = await db('blobs')
    .where({ sha256 })
    .update({ touched_at: db.fn.now(3) })
  if (known > 0) await db('blobs').where({ id: copy }).delete()
  return known > 0
}

/** Bytes of a blob; null where it is not kept, or not whole yet. */
export async function blobSize(db: Database, sha256: string): Promise<number | null> {
  const row = (await db('blobs').where({ sha256 }).first('bytes')) as { bytes: number } | undefined
  return row ? Number(row.bytes) : null
}

/** What is stored of a blob, as its row tells. */
interface BlobRow {
  readonly id: number
  readonly bytes: number
}

const wrong = async (db: Database, sha256: string, how: string): Promise<GeometryError> =>
  new GeometryError('DAMAGED', await damageOf(db, sha256, how))

const OTHER_SUM = 'is not what was stored: its check sum is another'

async function blobRow(db: Database, sha256: string): Promise<BlobRow> {
  const row = (await db('blobs').where({ sha256 }).first('id', 'bytes')) as BlobRow | undefined
  if (!row) throw await wrong(db, sha256, 'is not there')
  return { id: row.id, bytes: Number(row.bytes) }
}

/**
 * As many bytes as the row says, no more and no fewer, a chunk at a time: while one is looked through, the next is on
 * its way.
 */
async function* chunksOf(db: Database, sha256: string, { id, bytes }: BlobRow): AsyncGenerator<Uint8Array> {
  const fetch = (seq: number): Promise<{ data: Buffer }[]> => {
    const coming = execute<{ data: Buffer }[]>(db, 'SELECT data FROM chunks WHERE blob_id = ? AND seq = ?', [id, seq])
    // Whoever reads may stop before it has come.
    coming.catch(() => undefined)
    return coming
  }
  const chunks = Math.ceil(bytes / CHUNK_BYTES)
  let left = bytes
  let next = chunks > 0 ? fetch(0) : null
  for (let seq = 0; seq < chunks; seq++) {
    const [found] = await next!
    next = seq + 1 < chunks ? fetch(seq + 1) : null
    if (!found) throw await wrong(db, sha256, 'lacks a part')
    left -= found.data.length
    if (left < 0 || (!next && left > 0)) throw await wrong(db, sha256, 'is not whole')
    yield found.data
  }
}

/**
 * The bytes of a blob in order, held against their SHA-256: the last chunk is given out only when all were right.
 * @throws DAMAGED saying what it is and whether it can be made again
 */
export async function* readBlob(db: Database, sha256: string): AsyncGenerator<Uint8Array> {
  const row = await blobRow(db, sha256)
  const hash = createHash('sha256')
  let left = row.bytes
  for await (const chunk of chunksOf(db, sha256, row)) {
    hash.update(chunk)
    left -= chunk.length
    if (left === 0 && hash.digest('hex') !== sha256) throw await wrong(db, sha256, OTHER_SUM)
    yield chunk
  }
}

/**
 * A blob's bytes, and the answer whether they are what was stored. Nothing made of them may be kept before it has come.
 */
export interface Unchecked {
  readonly bytes: Uint8Array<ArrayBuffer>
  /** Fails with DAMAGED. Worked out beside this thread. */
  readonly checked: Promise<void>
}

/** The bytes of a blob at once, and a promise that tells whether they are the ones that were stored. */
export async function readUnchecked(db: Database, sha256: string): Promise<Unchecked> {
  const row = await blobRow(db, sha256)
  const out = new Uint8Array(row.bytes)
  let at = 0
  for await (const chunk of chunksOf(db, sha256, row)) {
    out.set(chunk, at)
    at += chunk.length
  }
  const checked = webcrypto.subtle.digest('SHA-256', out).then(async (digest) => {
    if (Buffer.from(digest).toString('hex') !== sha256) throw await wrong(db, sha256, OTHER_SUM)
  })
  // Whoever asked may have failed by then; it is theirs to hear.
  checked.catch(() => undefined)
  return { bytes: out, checked }
}

/** The bytes of a blob, checked against its name. @throws DAMAGED */
export async function readWholeBlob(db: Database, sha256: string): Promise<Uint8Array> {
  const { bytes, checked } = await readUnchecked(db, sha256)
  await checked
  return bytes
}
