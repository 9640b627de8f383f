import { describe, expect, test } from 'vitest'
import { quietContext, runOperation, skinTakes, type TriangleMesh } from '@holosoma/core'
import { storeBlob } from '../blobs/blobs'
import { computeJob } from './compute'
import type { Database } from '../store/database'
import {
  cancelJob,
  claimJob,
  completeJob,
  failJob,
  heartbeat,
  isBusy,
  listJobs,
  STALE_SECONDS,
  submitJob,
  type JobRequest,
} from './jobs'
import { redo, undo } from '../ledger/history'
import { listHeads, listSteps, recordStep, type Track } from '../ledger/ledger'
import { createTake } from '../pieces/takes'
import { pieceVersions } from '../pieces/state'
import { createPiece } from '../pieces/pieces'
import { onTestDatabase } from '../testing/test-piece'
import { loadShape, storeArtefact } from '../blobs/shape-store'
import { sphere, step } from '../testing/samples'

let db: Database
onTestDatabase((given) => void (db = given))

const noHost = { progress: () => undefined, cancelled: () => false }
describe('jobs', () => {
  test('a step is of whoever asked for it, whichever worker does it', async () => {
    const id = await createPiece(db, { name: 'Lamp', number: '1' })
    const thin: JobRequest = { kind: 'operation', operation: 'tidy.thin', params: {}, inputs: {} }
    for (const who of ['Runa', undefined]) await submitJob(db, id, 'take:1', 'Thinning', thin, undefined, who)
    for (let k = 0; k < 2; k++) await completeJob(db, (await claimJob(db, `w${k}`))!, step('take:1'))
    expect((await listSteps(db, id)).map((s) => s.who)).toEqual(['Runa', 'bench'])
  })
  test('what a job works on is not undone under it, and a job asked for on what is gone is refused', async () => {
    const id = await createPiece(db, { name: 'Lamp', number: '' })
    const take = await createTake(db, id, 'a', '')
    const track: Track = `take:${take.id}`
    const { hash } = await storeArtefact(db, sphere(300))
    const first = await recordStep(db, id, step(track, { outputs: { take: hash } }))
    await recordStep(db, id, step('brief'))
    const second = await recordStep(db, id, step(track, { outputs: { take: hash } }))
    const ask = (base: number): Promise<number> =>
      submitJob(db, id, track, 'Thinning', { ...thin, inputs: { take: hash } } as JobRequest, base)
    const job = await ask(second)
    await expect(undo(db, id)).rejects.toThrow('Something is at work on the very step that would change')
    expect((await listHeads(db, id)).get(track)).toBe(second)
    await cancelJob(db, job)
    expect(await undo(db, id)).toBe(second)
    await expect(ask(second)).rejects.toThrow('changed in the same moment')
    const again = await ask(first)
    await expect(redo(db, id)).rejects.toThrow('Something is at work')
    // What it does not work on can be undone meanwhile.
    const other = await createPiece(db, { name: 'Jug', number: '' })
    await recordStep(db, other, step('brief'))
    expect(await undo(db, other)).not.toBeNull()
    await cancelJob(db, again)
    expect(await redo(db, id)).toBe(second)
  })
  const thin: JobRequest = { kind: 'operation', operation: 'tidy.thin', params: { spacingMm: 2 }, inputs: {} }
  test('are claimed once, in order; the attempt is the token that may commit', async () => {
    const id = await createPiece(db, { name: 'Lamp', number: '1' })
    const [first] = [await submitJob(db, id, 'take:1', 'one', thin), await submitJob(db, id, 'take:2', 'two', thin)]
    expect(await isBusy(db, id, ['take:1'])).toBe(true)
    expect(await isBusy(db, id, ['result:1'])).toBe(false)
    const claims = await Promise.all(['a', 'b', 'c'].map((w) => claimJob(db, w)))
    expect(
      claims
        .filter(Boolean)
        .map((j) => j!.title)
        .sort(),
    ).toEqual(['one', 'two'])
    const mine = claims.find((j) => j?.id === first)!
    const before = await pieceVersions(db, mine.pieceId)
    expect(await heartbeat(db, mine, 0.4, 'half way', 12)).toBe('none')
    // How far it has come is a matter of the job alone.
    const then = await pieceVersions(db, mine.pieceId)
    expect(then.piece).toBe(before.piece)
    expect(then.jobs).not.toBe(before.jobs)
    expect((await listJobs(db, id))[0]).toMatchObject({
      progress: 0.4,
      note: 'half way',
      expectedSeconds: 12,
      state: 'running',
    })
    await db('jobs')
      .where({ id: first })
      .update({ heartbeat_at: db.raw('NOW(3) - INTERVAL ? SECOND', [STALE_SECONDS + 1]) })
    const again = (await claimJob(db, 'other'))!
    expect([again.id, again.attempt]).toEqual([first, 2])
    expect(await completeJob(db, mine, step('take:1'))).toBe(false)
    expect(await heartbeat(db, mine, 0.5, '', null)).toBe('cancel')
    expect(await completeJob(db, again, step('take:1'))).toBe(true)
    expect(await listSteps(db, id)).toHaveLength(1)
  })
  test('cancel: waiting ends at once, running is told, ended stays', async () => {
    const id = await createPiece(db, { name: 'Lamp', number: '1' })
    const waiting = await submitJob(db, id, 'join', 'w', thin)
    expect(await cancelJob(db, waiting)).toBe(true)
    expect(await cancelJob(db, waiting)).toBe(false)
    const running = await submitJob(db, id, 'join', 'r', thin)
    const job = (await claimJob(db, 'w'))!
    expect(await cancelJob(db, running)).toBe(true)
    expect(await heartbeat(db, job, 0, '', null)).toBe('cancel')
    await failJob(db, job, 'cancelled', null)
    expect((await listJobs(db, id)).map((j) => j.state)).toEqual(['cancelled', 'cancelled'])
  })
  test('a job that kills its worker twice is given up', async () => {
    const id = await createPiece(db, { name: 'Lamp', number: '1' })
    const job = await submitJob(db, id, 'join', 'heavy', thin)
    for (let i = 0; i < 2; i++) {
      expect((await claimJob(db, 'w'))!.attempt).toBe(i + 1)
      await db('jobs')
        .where({ id: job })
        .update({ heartbeat_at: db.raw('NOW(3) - INTERVAL 60 SECOND') })
    }
    expect(await claimJob(db, 'w')).toBeNull()
    expect((await listJobs(db, id))[0]).toMatchObject({
      state: 'failed',
      error: expect.stringContaining('tried twice') as string,
    })
  })
  test('an import reads the upload by streaming, looks at it and says so; a broken one is refused in words', async () => {
    const id = await createPiece(db, { name: 'Lamp', number: '1' })
    const good = await storeBlob(db, [new TextEncoder().encode('0 0 0\n118 0 0\n0 60 0\n')], 'x')
    const job = async (upload: string, fileName: string) => {
      await submitJob(db, id, 'take:1', 'Reading', { kind: 'import', upload, fileName })
      return (await claimJob(db, 'w'))!
    }
    const draft = await computeJob(db, await job(good.sha256, 'lamp.xyz'), noHost)
    expect(draft).toMatchObject({ operation: 'take.import', figures: { points: 3, kind: 'cloud', unitGuess: 'mm' } })
    expect(draft.findings[0].text).toContain(
      '3 points; all points together, with whatever stands about the piece, reach over 132',
    )
    await expect(
      computeJob(
        db,
        await job((await storeBlob(db, [new TextEncoder().encode('ply\nno')], 'x')).sha256, 'bad.ply'),
        noHost,
      ),
    ).rejects.toThrow('Line 2 of the PLY header')
    await expect(computeJob(db, await job('0'.repeat(64), 'gone.ply'), noHost)).rejects.toThrow('did not arrive whole')
    await expect(
      computeJob(db, await job(good.sha256, 'lamp.xyz'), { ...noHost, cancelled: () => true }),
    ).rejects.toThrow('Stopped at your request')
  })
  test('a stored operation gives the same bytes as the same operation called directly', async () => {
    const id = await createPiece(db, { name: 'Lamp', number: '1' })
    const cloud = sphere(4000)
    const { hash } = await storeArtefact(db, cloud)
    await submitJob(db, id, 'result:1', 'Skin', {
      kind: 'operation',
      operation: 'skin.make',
      params: { names: ['a'], spacingMm: 1 },
      inputs: { takes: [hash] },
    })
    let expected = 0
    const draft = await computeJob(db, (await claimJob(db, 'w'))!, { ...noHost, expected: (s) => (expected = s) })
    const direct = await runOperation(
      skinTakes,
      { takes: [cloud], motions: { kind: 'motions', motions: {} } },
      { names: ['a'], spacingMm: 1 },
      quietContext(1),
    )
    expect(await loadShape(db, draft.outputs.mesh)).toEqual(direct.outputs.mesh as TriangleMesh)
    expect(expected).toBeGreaterThan(0)
    expect(draft.work).toBeGreaterThan(0)
  })
})
