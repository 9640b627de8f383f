import { performance } from 'node:perf_hooks'
import { randomBytes, webcrypto } from 'node:crypto'
import { captureTake, LAMP_TAKES, OIL_LAMP, quietContext, TABLETOP_DEVICE } from '@holosoma/core'
import { CHUNK_BYTES, readBlob, storeBlob } from '../engine/src/blobs/blobs'
import { closeDatabase, execute, migrate, openDatabase, type Database } from '../engine/src/store/database'
import { runStored } from '../engine/src/jobs/compute'
import { loadShape, storeArtefact } from '../engine/src/blobs/shape-store'

/*
 * What it costs to hold stored bytes against their SHA-256 when they are read: bytes alone, and the share of it in the
 * acts of the road.
 * Wants HOLOSOMA_TEST_DATABASE_URL; leaves what it stored behind.
 *
 * npx tsx benchmarks/stored-bytes.ts [megabytes]
 */

const url = process.env.HOLOSOMA_TEST_DATABASE_URL
if (!url) throw new Error('Set HOLOSOMA_TEST_DATABASE_URL.')
const megabytes = Number(process.argv[2] ?? 200)
const PAIRS = 15
const median = (values: number[]): number => values.sort((a, b) => a - b)[values.length >> 1]
const timed = async (work: () => Promise<unknown>): Promise<number> => {
  const began = performance.now()
  await work()
  return (performance.now() - began) / 1000
}

/** The same way through the chunks, one ahead, without looking at them. */
async function unchecked(db: Database, sha256: string): Promise<void> {
  const row = (await db('blobs').where({ sha256 }).first('id', 'bytes')) as { id: number; bytes: number }
  const chunks = Math.ceil(Number(row.bytes) / CHUNK_BYTES)
  const fetch = (seq: number): Promise<unknown> =>
    execute(db, 'SELECT data FROM chunks WHERE blob_id = ? AND seq = ?', [row.id, seq])
  let next = fetch(0)
  for (let seq = 0; seq < chunks; seq++) {
    await next
    if (seq + 1 < chunks) next = fetch(seq + 1)
  }
}

const db = openDatabase(url)
await migrate(db)
const part = randomBytes(CHUNK_BYTES)
const { sha256 } = await storeBlob(
  db,
  Array.from({ length: megabytes }, (_, i) => Buffer.concat([Buffer.from([i & 255]), part.subarray(1)])),
  'x',
)
const plain: number[] = [],
  checked: number[] = []
for (let k = 0; k < 5; k++) {
  plain.push(await timed(() => unchecked(db, sha256)))
  checked.push(
    await timed(async () => {
      for await (const p of readBlob(db, sha256)) void p
    }),
  )
}
const [a, b] = [median(plain), median(checked)]
console.log(
  `bytes alone, ${megabytes} MB: ${(megabytes / a).toFixed(0)} MB/s unchecked, ` +
    `${(megabytes / b).toFixed(0)} MB/s checked (${((b / a - 1) * 100).toFixed(0)} % longer)`,
)

const take = captureTake(OIL_LAMP, LAMP_TAKES[0], TABLETOP_DEVICE, 1, quietContext(), {
  spacingMm: 0.3,
  pitchMm: 0.36,
}).cloud
const { hash, points } = await storeArtefact(db, take)
const context = { ...quietContext(1), progress: () => undefined, cancelled: () => false }
// The same act on the same shapes with and without the check, in turn.
const digest = webcrypto.subtle.digest.bind(webcrypto.subtle)
const right = Uint8Array.from(Buffer.from(hash, 'hex')).buffer
for (const [operation, params, inputs] of [
  ['tidy.trimTable', {}, { take: hash }],
  ['tidy.removeStrays', {}, { take: hash }],
  ['skin.make', { names: ['a'], spacingMm: 0.8 }, { takes: [hash] }],
] as const) {
  const act = (): Promise<unknown> =>
    runStored(
      db,
      {
        kind: 'operation',
        operation,
        params: { ...params },
        inputs: inputs as unknown as Record<string, string | string[]>,
      },
      context,
    )
  await act()
  const without: number[] = [],
    ratios: number[] = []
  for (let k = 0; k < PAIRS; k++) {
    webcrypto.subtle.digest = () => Promise.resolve(right)
    without.push(await timed(act))
    webcrypto.subtle.digest = digest
    ratios.push((await timed(act)) / without.at(-1)!)
  }
  console.log(
    `${operation} on ${points.toLocaleString('en')} points: ${median(without).toFixed(3)} s ` +
      `unchecked; checked ${((median(ratios) - 1) * 100).toFixed(1)} % longer (median of ${PAIRS} ` +
      'pairs)',
  )
}
const loads: number[] = []
for (let k = 0; k < 5; k++) loads.push(await timed(() => loadShape(db, hash)))
console.log(`loading the take alone: ${(median(loads) * 1000).toFixed(0)} ms`)
await db('blobs').whereIn('sha256', [sha256, hash]).delete()
await closeDatabase()
