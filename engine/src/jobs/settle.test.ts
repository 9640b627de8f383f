import { describe, expect, test } from 'vitest'
import { operationNamed, pickPoints, quietContext, runOperation, type PointCloud } from '@holosoma/core'
import { identityMotion, rotationMotion } from '@holosoma/core/linear'
import { dentedBall, ring } from '@holosoma/core/testing/dented-ball'
import { transact, type Database } from '../store/database'
import { completeJob, claimJob, isBusy, submitJob, type JobRequest } from './jobs'
import { undo } from '../ledger/history'
import { recordStep, type Track } from '../ledger/ledger'
import { createTake } from '../pieces/takes'
import { pieceState } from '../pieces/state'
import { runSettle } from './settle'
import { loadShape, storeArtefact } from '../blobs/shape-store'
import { onTestPiece } from '../testing/test-piece'

let db: Database, piece: number
onTestPiece({ name: 'Ball', number: '' }, (given) => ({ db, piece } = given))

/** Frames of one ball, of which one stands two degrees apart; thinned, for speed. */
const thin = (cloud: PointCloud): PointCloud =>
  pickPoints(
    cloud,
    Array.from({ length: cloud.positions.length / 6 }, (_, i) => 2 * i),
  )
const still = identityMotion()
const apart = thin(dentedBall([0, 0.7], (f) => (f === 1 ? rotationMotion([0, 0, 1], 0.034) : still), 0.03, 5))
const other = thin(
  dentedBall(ring(4), (f) => (f === 2 ? rotationMotion([1, 0, 0], 0.02, [0, 0.6, 0]) : still), 0.03, 6),
)
const host = { progress: () => undefined, cancelled: () => false }

async function laid(): Promise<{
  request: Extract<JobRequest, { kind: 'settle' }>
  tracks: Track[]
  hashes: string[]
}> {
  const names = ['front', 'round'],
    clouds = [apart, other]
  const tracks: Track[] = [],
    hashes: string[] = []
  for (const [i, cloud] of clouds.entries()) {
    const take = await createTake(db, piece, names[i], '')
    const { hash } = await storeArtefact(db, cloud)
    tracks.push(`take:${take.id}`)
    hashes.push(hash)
    await transact(db, (trx) =>
      recordStep(trx, piece, {
        track: tracks[i],
        operation: 'take.import',
        version: 1,
        params: {},
        inputs: {},
        outputs: { take: hash },
        figures: {},
        findings: [],
        description: '',
        who: 'test',
        durationMs: 1,
        work: null,
      }),
    )
  }
  const motions = (await storeArtefact(db, { kind: 'motions', motions: { front: still, round: still } })).hash
  const of = tracks.map((track, i) => ({
    track,
    params: { names: [names[i], names[1 - i]], placed: ['free' as const, 'free' as const] },
    inputs: { take: hashes[i], others: [hashes[1 - i]], motions },
  }))
  return { request: { kind: 'settle', of }, tracks, hashes }
}

describe('frames of all takes in one job', () => {
  test('leave on each take’s track what the act on that take alone would have left, to the byte', async () => {
    const { request, tracks } = await laid()
    const steps = await runSettle(db, request, host)
    expect(steps.map((s) => [s.track, s.operation])).toEqual(tracks.map((t) => [t, 'take.settleFrames']))
    for (const [i, step] of steps.entries()) {
      const [take, others] = [
        [apart, [other]],
        [other, [apart]],
      ][i] as [PointCloud, PointCloud[]]
      const alone = await runOperation(
        operationNamed('take.settleFrames'),
        { take, others, motions: { kind: 'motions', motions: { front: still, round: still } } },
        request.of[i].params,
        quietContext(),
      )
      expect(step.figures).toEqual(alone.figures)
      expect(step.figures.moved).toBe(true)
      const kept = (await loadShape(db, step.outputs.take)) as PointCloud
      expect(
        Buffer.compare(
          Buffer.from(kept.positions.buffer, kept.positions.byteOffset, kept.positions.byteLength),
          Buffer.from((alone.outputs.take as PointCloud).positions.buffer),
        ),
      ).toBe(0)
      expect(step.description).toContain(`of “${['front', 'round'][i]}” with the other take`)
    }
    // What one problem took is shared out.
    expect(new Set(steps.map((s) => s.durationMs)).size).toBe(1)
  })
  test('while it waits or runs, none of its takes may be worked on; done, each take has its step, undone one by one', async () => {
    const { request, tracks, hashes } = await laid()
    expect(await isBusy(db, piece, tracks)).toBe(false)
    await submitJob(db, piece, 'join', 'Matching the frames of all takes', request)
    for (const track of [...tracks, 'join' as const]) expect(await isBusy(db, piece, [track])).toBe(true)
    expect(await isBusy(db, piece, ['result:1'])).toBe(false)
    const job = (await claimJob(db, 'test'))!
    expect(job.request).toEqual(request)
    const steps = await runSettle(db, request, host)
    expect(
      await completeJob(
        db,
        job,
        ...steps.map((s) => ({ ...s, track: s.track ?? job.track, durationMs: s.durationMs! })),
      ),
    ).toBe(true)
    expect(await isBusy(db, piece, tracks)).toBe(false)
    const stands = async (): Promise<(string | undefined)[]> =>
      (await pieceState(db, piece))!.takes.map((t) => t.shape?.hash)
    const settled = await stands()
    expect(settled).toEqual(steps.map((s) => s.outputs.take))
    await undo(db, piece)
    expect(await stands()).toEqual([settled[0], hashes[1]])
    await undo(db, piece)
    expect(await stands()).toEqual(hashes)
  })
  test('how long it should take is told before it begins: by what it took here last', async () => {
    const { request, tracks } = await laid()
    const told: number[] = []
    const expected = (seconds: number): number => told.push(seconds)
    const [step] = await runSettle(db, request, { ...host, expected })
    await transact(db, (trx) =>
      recordStep(trx, piece, { ...step, who: 'test', track: tracks[0], durationMs: 2 * 1000 * step.work! }),
    )
    await runSettle(db, request, { ...host, expected })
    // Each unit of work took two seconds; the two takes share the work of one problem.
    expect(told[1]).toBeCloseTo(2 * 2 * step.work!, 6)
  })
  test('of nothing is refused', async () => {
    await expect(runSettle(db, { kind: 'settle', of: [] }, host)).rejects.toThrow('Say whose frames')
  })
})
