import { describe, expect, test } from 'vitest'
import { LAMP_TAKES, type PointCloud } from '@holosoma/core'
import { NEW_SESSION } from '@holosoma/core/bench'
import { listAcceptances, testDevice } from './acceptances'
import { storeBlob } from '../blobs/blobs'
import { computeJob } from '../jobs/compute'
import type { Database } from '../store/database'
import { claimJob, completeJob, submitJob, type JobRequest } from '../jobs/jobs'
import { undo } from '../ledger/history'
import { type Track } from '../ledger/ledger'
import { createTake } from '../pieces/takes'
import { pieceState, pieceVersions } from '../pieces/state'
import { logEvent, readSession } from './sessions'
import { loadShape } from '../blobs/shape-store'
import { onTestPiece } from '../testing/test-piece'

let db: Database
let piece: number
onTestPiece({ name: 'Lamp', number: 'T2', benchPiece: 'lamp' }, (given) => {
  ;({ db, piece } = given)
})

async function run(track: Track, request: JobRequest): Promise<void> {
  await submitJob(db, piece, track, 'test', request)
  const job = (await claimJob(db, 'test'))!
  const step = await computeJob(db, job, { progress: () => undefined, cancelled: () => false })
  await completeJob(db, job, { ...step, track, durationMs: 1 })
}

describe('the session at the bench', () => {
  test('events are kept in order, outlive everything, and pages hear of them', async () => {
    expect(await readSession(db, piece)).toEqual(NEW_SESSION)
    const before = (await pieceVersions(db, piece)).piece
    await logEvent(db, piece, { kind: 'reference' })
    const after = await logEvent(db, piece, { kind: 'tableMoved' })
    expect(after.reference).toBe('tableMoved')
    expect((await pieceState(db, piece))!.session.log.map((e) => e.kind)).toEqual(['reference', 'tableMoved'])
    expect((await pieceVersions(db, piece)).piece).not.toBe(before)
  })
  test('twenty at once: none is lost', async () => {
    await Promise.all(Array.from({ length: 20 }, (_, i) => logEvent(db, piece, { kind: 'light', stops: i / 10 })))
    expect((await readSession(db, piece)).log).toHaveLength(20)
  })
  test('nonsense is refused and not kept', async () => {
    await expect(logEvent(db, piece, { kind: 'dance' })).rejects.toThrow('nothing that happens at the bench')
    expect((await readSession(db, piece)).log).toEqual([])
  })
})

describe('frames with a list of poses', () => {
  const frame = (x: number): Uint8Array =>
    new TextEncoder().encode(
      Array.from({ length: 60 }, (_, i) => `${x + (i % 10)} ${Math.floor(i / 10)} 100`).join('\n'),
    )
  const poses = 'a.xyz 1 0 0 0 0 1 0 0 0 0 1 0\nb.xyz 1 0 0 50 0 1 0 0 0 0 1 0\n'
  test('become one take that knows its frames', async () => {
    const frames = [
      { file: 'a.xyz', upload: (await storeBlob(db, [frame(0)], 'x')).sha256 },
      { file: 'b.xyz', upload: (await storeBlob(db, [frame(10)], 'x')).sha256 },
    ]
    const take = await createTake(db, piece, 'ring', 'as imported')
    await run(`take:${take.id}`, { kind: 'frames', poses, frames, fileName: 'ring' })
    const state = (await pieceState(db, piece))!
    const cloud = (await loadShape(db, state.takes[0].shape!.hash)) as PointCloud
    expect(cloud.positions.length / 3).toBe(120)
    expect(new Set(cloud.frame)).toEqual(new Set([0, 1]))
    expect(Array.from(cloud.frameOrigins!)).toEqual([0, 0, 0, 50, 0, 0])
    expect(state.steps[0].description).toBe('Imported 2 frames from ring: 120 points')
  })
  test('a frame that is not there is named', async () => {
    const frames = [{ file: 'a.xyz', upload: (await storeBlob(db, [frame(0)], 'x')).sha256 }]
    const take = await createTake(db, piece, 'ring', 'as imported')
    await expect(run(`take:${take.id}`, { kind: 'frames', poses, frames, fileName: 'ring' })).rejects.toThrow(
      'names “b.xyz”, which was not among the files',
    )
  })
})

test('acceptance tests are kept with their trend, and see what heat does', async () => {
  expect(await listAcceptances(db, 'tabletop')).toEqual([])
  await testDevice(db, 'tabletop', 0)
  const [cold, hot] = await testDevice(db, 'tabletop', 30)
  expect(cold.result.verdict).toBe('sound')
  expect(hot).toMatchObject({ warmK: 30, deviceVersion: 1 })
  expect(hot.result.flatnessMm).toBeGreaterThan(cold.result.flatnessMm)
  await expect(testDevice(db, 'nothing', 0)).rejects.toThrow('no such device profile')
})

test('the look at what is missing is a step of its own, stale when takes change, and can be undone', async () => {
  const take = await createTake(db, piece, 'upright', 'upright')
  const make = (seed: number): Promise<void> =>
    run(`take:${take.id}`, {
      kind: 'operation',
      operation: 'take.simulate',
      params: { piece: 'lamp', take: LAMP_TAKES[0], seed, spacingMm: 1 },
      inputs: {},
    })
  await make(1)
  const state = async () => (await pieceState(db, piece))!
  const hash = (await state()).takes[0].shape!.hash
  await run('check', {
    kind: 'operation',
    operation: 'take.complete',
    params: { names: ['upright'], planned: [LAMP_TAKES[0]], fixed: 'upright' },
    inputs: { takes: [hash] },
  })
  const checked = await state()
  expect(checked.check).toMatchObject({ stale: false })
  expect(checked.check!.step.findings[0].verdict).toBe('unsound')
  // A retake replaces the take; the old one stays in the ledger.
  await make(2)
  const retaken = await state()
  expect(retaken.check!.stale).toBe(true)
  expect(retaken.steps.filter((s) => s.operation === 'take.simulate')).toHaveLength(2)
  await undo(db, piece)
  expect((await state()).check!.stale).toBe(false)
  await undo(db, piece)
  expect((await state()).check).toBeNull()
}, 120_000)
