import { spawn } from 'node:child_process'
import { fileURLToPath } from 'node:url'
import type { PointCloud } from '@holosoma/core'
import { closeDatabase, migrate, openDatabase } from '../engine/src/store/database'
import { cancelJob, submitJob } from '../engine/src/jobs/jobs'
import { createPiece } from '../engine/src/pieces/pieces'
import { storeArtefact } from '../engine/src/blobs/shape-store'

/*
 * From the click until a job is cancelled, at three moments of a skin of two million points (asked: 2 s).
 * Wants HOLOSOMA_TEST_DATABASE_URL and the built engine; leaves what it stored behind.
 *
 * npx tsx benchmarks/cancel.ts
 */

const url = process.env.HOLOSOMA_TEST_DATABASE_URL
if (!url) throw new Error('Set HOLOSOMA_TEST_DATABASE_URL.')
const db = openDatabase(url)
await migrate(db)
const worker = spawn(process.execPath, [fileURLToPath(new URL('../engine/dist/worker.mjs', import.meta.url))], {
  env: { ...process.env, HOLOSOMA_DATABASE_URL: url },
  stdio: ['ignore', 'ignore', 'inherit'],
})
const until = async (id: number, wanted: string): Promise<void> => {
  while (((await db('jobs').where({ id }).first('state')) as { state: string }).state !== wanted)
    await new Promise((r) => setTimeout(r, 10))
}
const cloud: PointCloud = {
  kind: 'cloud',
  positions: Float32Array.from({ length: 6_000_000 }, (_, i) => Math.sin(i * 0.37) * 60),
}
const { hash } = await storeArtefact(db, cloud)
const piece = await createPiece(db, { name: 'Cancelled', number: '' })
for (const moment of [0.3, 1, 1.7]) {
  const id = await submitJob(db, piece, 'result:1', 'Skin', {
    kind: 'operation',
    operation: 'skin.make',
    params: { names: ['a'], spacingMm: 0.3 },
    inputs: { takes: [hash] },
  })
  await until(id, 'running')
  await new Promise((r) => setTimeout(r, moment * 1000))
  const began = performance.now()
  await cancelJob(db, id)
  await until(id, 'cancelled')
  console.log(`${moment} s in: cancelled ${((performance.now() - began) / 1000).toFixed(2)} s after the click`)
}
worker.kill('SIGKILL')
await closeDatabase()
