import { spawn, type ChildProcess } from 'node:child_process'
import { dirname, join } from 'node:path'
import { fileURLToPath } from 'node:url'
import { afterAll, describe, expect, test } from 'vitest'
import {
  motionFromRows,
  quietContext,
  rotationMotion,
  runOperation,
  skinTakes,
  type TriangleMesh,
} from '@holosoma/core'
import { readWholeBlob } from './blobs/blobs'
import type { Database } from './store/database'
import { cancelJob, submitJob } from './jobs/jobs'
import { listSteps } from './ledger/ledger'
import { pieceState } from './pieces/state'
import { createPiece } from './pieces/pieces'
import { createResult, resultTrack } from './pieces/results'
import { onTestDatabase } from './testing/test-piece'
import { loadShape, storeArtefact } from './blobs/shape-store'
import { sphere } from './testing/samples'

const given = process.env.HOLOSOMA_TEST_DATABASE_URL
const here = dirname(fileURLToPath(import.meta.url))
let db: Database
onTestDatabase((given) => void (db = given))

describe('the compute worker', () => {
  const workers: ChildProcess[] = []
  const start = (): ChildProcess => {
    const w = spawn(process.execPath, ['--enable-source-maps', join(here, '..', 'dist', 'worker.mjs')], {
      env: { ...process.env, HOLOSOMA_DATABASE_URL: given },
      stdio: ['ignore', 'ignore', 'inherit'],
    })
    workers.push(w)
    return w
  }
  afterAll(() => workers.forEach((w) => w.kill('SIGKILL')))
  const until = async (what: () => Promise<boolean>, ms = 180_000): Promise<void> => {
    for (const end = Date.now() + ms; !(await what()); await new Promise((r) => setTimeout(r, 60)))
      if (Date.now() > end) throw new Error('waited too long')
  }
  const skin = async (id: number): Promise<number> => {
    const { hash } = await storeArtefact(db, sphere(120_000, 40))
    const result = resultTrack((await createResult(db, id, 'skin')).id)
    return submitJob(db, id, result, 'Skin', {
      kind: 'operation',
      operation: 'skin.make',
      params: { names: ['a'], spacingMm: 0.9, dense: true },
      inputs: { takes: [hash] },
    })
  }
  const stateOf = async (job: number) =>
    (await db('jobs').where({ id: job }).first()) as { state: string; attempt: number; progress: number }

  test('kill -9 in the middle of a job: started again, the job is claimed again, the result is right, nothing is lost', async () => {
    const id = await createPiece(db, { name: 'Lamp', number: '1' })
    const job = await skin(id)
    const first = start()
    await until(async () => (await stateOf(job)).state === 'running' && (await stateOf(job)).progress > 0)
    first.kill('SIGKILL')
    expect((await stateOf(job)).state).toBe('running')
    expect(await listSteps(db, id)).toHaveLength(0)
    const second = start()
    await until(async () => (await stateOf(job)).state === 'done')
    expect((await stateOf(job)).attempt).toBe(2)
    const state = (await pieceState(db, id))!
    const direct = await runOperation(
      skinTakes,
      { takes: [sphere(120_000, 40)], motions: { kind: 'motions', motions: {} } },
      { names: ['a'], spacingMm: 0.9, dense: true },
      quietContext(1),
    )
    expect(await loadShape(db, state.mesh!.shape.hash)).toEqual(direct.outputs.mesh as TriangleMesh)
    second.kill('SIGTERM')
  }, 400_000)
  test('a running job stops when it is cancelled; a worker told to end gives its job back', async () => {
    const id = await createPiece(db, { name: 'Lamp', number: '1' })
    const w = start()
    const job = await skin(id)
    await until(async () => (await stateOf(job)).state === 'running')
    await cancelJob(db, job)
    await until(async () => (await stateOf(job)).state === 'cancelled')
    expect(await listSteps(db, id)).toHaveLength(0)
    const next = await skin(id)
    await until(async () => (await stateOf(next)).state === 'running')
    w.kill('SIGTERM')
    await until(async () => (await stateOf(next)).state === 'queued')
    expect((await stateOf(next)).attempt).toBe(0)
  }, 400_000)
})

test('rows of a stored motion are those of the contract', async () => {
  const m = rotationMotion([0, 1, 0], 1, [4, 5, 6])
  const { hash } = await storeArtefact(db, { kind: 'motions', motions: { a: m } })
  const file = JSON.parse(new TextDecoder().decode(await readWholeBlob(db, hash))) as {
    unit: string
    motions: Record<string, number[][]>
  }
  expect(file.unit).toBe('mm')
  expect(Array.from(motionFromRows(file.motions.a, 'a'))).toEqual(Array.from(m))
})
