import { spawn, type ChildProcess } from 'node:child_process'
import { createHash } from 'node:crypto'
import { dirname, join } from 'node:path'
import { fileURLToPath } from 'node:url'
import { afterAll, beforeAll, beforeEach, describe, expect, test } from 'vitest'
import {
  detailsOf,
  motionFromRows,
  quietContext,
  rotationMotion,
  runOperation,
  skinTakes,
  type PointCloud,
  type TriangleMesh,
} from '@holosoma/core'
import { blobSize, CHUNK_BYTES, readBlob, readWholeBlob, storeBlob } from './blobs/blobs'
import { computeJob } from './jobs/compute'
import { execute, migrate, migrateTo, rollback, type Database } from './store/database'
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
} from './jobs/jobs'
import { historyState, redo, undo } from './ledger/history'
import { listHeads, listSteps, recordStep, secondsPerUnit, type NewStep, type Track } from './ledger/ledger'
import { createTake, updateTake } from './pieces/takes'
import { pieceState, pieceVersions } from './pieces/state'
import { createPiece, listPieces } from './pieces/pieces'
import { parseJson } from './store/json'
import { emptyTables, holdTestDatabase } from './testing/test-database'
import { findShape, loadMotions, loadShape, storeArtefact } from './blobs/shape-store'
import { collectUnused } from './blobs/space'

// A schema of its own on the tests' server, so that nothing else is touched.
const given = process.env.HOLOSOMA_TEST_DATABASE_URL
const here = dirname(fileURLToPath(import.meta.url))
let db: Database
let release: () => Promise<void>

const url = new URL(given ?? 'mysql://none')
beforeAll(async () => {
  ;({ db, release } = await holdTestDatabase())
}, 300_000)
afterAll(() => release())
beforeEach(() => emptyTables(db))

const sphere = (n: number, radius = 10): PointCloud => {
  const positions = new Float32Array(n * 3),
    normals = new Float32Array(n * 3)
  for (let i = 0; i < n; i++) {
    const z = 1 - (2 * i + 1) / n,
      s = Math.sqrt(1 - z * z),
      a = i * Math.PI * (3 - Math.sqrt(5))
    ;[s * Math.cos(a), s * Math.sin(a), z].forEach((v, c) => {
      positions[i * 3 + c] = radius * v
      normals[i * 3 + c] = v
    })
  }
  return { kind: 'cloud', positions, normals }
}
const step = (track: Track, over: Partial<NewStep> = {}): NewStep => ({
  track,
  operation: 'tidy.thin',
  version: 1,
  params: {},
  inputs: {},
  outputs: {},
  figures: {},
  findings: [],
  description: 'did it',
  who: 'test',
  durationMs: 10,
  work: 2,
  ...over,
})
const noHost = { progress: () => undefined, cancelled: () => false }

describe('database', () => {
  test('migrations go forward and back and forward again', async () => {
    await rollback(db)
    expect(await db.schema.hasTable('pieces')).toBe(false)
    expect(await migrate(db)).toEqual([
      '001_house',
      '002_plan',
      '003_take',
      '004_acceptance',
      '005_photos',
      '006_hold',
      '007_tidy',
      '008_trial',
      '009_details',
      '010_details_whole',
    ])
    expect(await db.schema.hasTable('chunks')).toBe(true)
    expect(await migrate(db)).toEqual([])
  })
  test('a house of an older version with two takes of one name comes up with two names, and its content counts as wanted', async () => {
    await rollback(db)
    await migrateTo(db, '007_tidy')
    await db('pieces').insert({ id: 1, name: 'Lamp', number: '' })
    const rows = [...Array(3)].map((_, i) => ({ piece_id: 1, name: 'side', pose: '', ordinal: i + 1 }))
    await db('takes').insert(rows)
    await db('blobs').insert({ sha256: 'a'.repeat(64), bytes: 1, media_type: 'x' })
    expect(await migrate(db)).toEqual(['008_trial', '009_details', '010_details_whole'])
    const names = (await db('takes').orderBy('id').select('name')) as { name: string }[]
    expect(names.map((t) => t.name)).toEqual(['side', 'side 2', 'side 3'])
    expect((await db('blobs').whereRaw('touched_at > NOW() - INTERVAL 1 HOUR')).length).toBe(1)
  })
  test('what older steps kept as texts among their figures comes into their details, and back', async () => {
    await rollback(db)
    await migrateTo(db, '008_trial')
    await db('pieces').insert({ id: 1, name: 'Lamp', number: '' })
    const row = {
      piece_id: 1,
      track: 'join',
      version: 1,
      params: '{}',
      inputs: '{}',
      outputs: '{}',
      findings: '[]',
      description: '',
      who: '',
      duration_ms: 1,
    }
    const pair = { take: 'side', fixed: 'upright', verdict: 'sound' }
    const match = {
      p95Mm: 0.1,
      pairs: JSON.stringify([pair, { take: 'top', fixed: 'upright' }]),
      alternatives: JSON.stringify([{ movers: ['side'], turnDeg: 180 }]),
    }
    await db('steps').insert([
      { ...row, operation: 'join.match', figures: JSON.stringify(match) },
      { ...row, operation: 'take.simulate', figures: JSON.stringify({ frames: 2, frameList: '[[0],[30]]' }) },
      { ...row, operation: 'tidy.thin', figures: JSON.stringify({ cut: 3 }) },
      { ...row, operation: 'size.scale', figures: JSON.stringify({ factor: 25.4 }) },
    ])
    expect(await migrate(db)).toEqual(['009_details', '010_details_whole'])
    const [joined, taken, thinned, scaled] = await listSteps(db, 1)
    expect([joined.figures, taken.figures, thinned.figures]).toEqual([{ p95Mm: 0.1 }, { frames: 2 }, { cut: 3 }])
    // Early matches did not judge every pair, told only of poses that fit as well, and nothing of slides.
    expect(detailsOf(joined, 'join.match')).toMatchObject({
      pairs: [pair],
      slides: [],
      alternatives: [{ movers: ['side'], turnDeg: 180, asWell: true }],
    })
    expect(detailsOf(taken, 'take.simulate')).toEqual({ frames: [[0], [30]] })
    expect(detailsOf(scaled, 'size.scale')).toEqual({ lengths: [] })
    expect([thinned.details, detailsOf(thinned, 'join.match')]).toEqual([null, null])
    await migrateTo(db, '008_trial')
    const back = (await db('steps').orderBy('id').select('figures')) as { figures: string }[]
    expect(parseJson(back[1].figures as never)).toEqual({ frames: 2, frameList: '[[0],[30]]' })
    await migrate(db)
  })
  test('the server keeps to loopback', () => expect(url.hostname).toBe('127.0.0.1'))
  test('a connection is given back when a statement fails', async () => {
    for (let i = 0; i < 20; i++) await expect(execute(db, 'SELECT nothing FROM nowhere', [])).rejects.toThrow(/nowhere/)
    expect(await db('pieces').count({ n: '*' })).toEqual([{ n: 0 }])
  })
})

describe('blobs', () => {
  const bytes = Uint8Array.from({ length: 2.5 * CHUNK_BYTES }, (_, i) => (i * 7919) >> 3)
  const pieces = function* (size: number) {
    for (let i = 0; i < bytes.length; i += size) yield bytes.subarray(i, i + size)
  }
  test('are named by their SHA-256, held in chunks of at most 1 MiB, and read back the same', async () => {
    const info = await storeBlob(db, pieces(70_001), 'application/octet-stream')
    expect(info).toEqual({ sha256: createHash('sha256').update(bytes).digest('hex'), bytes: bytes.length })
    const rows = (await db('chunks').select(db.raw('LENGTH(data) AS n')).orderBy('seq')) as { n: number }[]
    expect(rows.map((r) => r.n)).toEqual([CHUNK_BYTES, CHUNK_BYTES, CHUNK_BYTES / 2])
    expect(Buffer.from(await readWholeBlob(db, info.sha256)).equals(Buffer.from(bytes))).toBe(true)
    expect(await blobSize(db, info.sha256)).toBe(bytes.length)
  })
  test('the same content is kept once', async () => {
    const [a, b] = await Promise.all([storeBlob(db, pieces(1 << 20), 'x'), storeBlob(db, pieces(99_999), 'x')])
    expect(a).toEqual(b)
    expect(await db('blobs').count({ n: '*' })).toEqual([{ n: 1 }])
  })
  test('a stream that breaks leaves nothing', async () => {
    const broken = (async function* () {
      yield bytes.subarray(0, CHUNK_BYTES + 5)
      throw new Error('cable out')
    })()
    await expect(storeBlob(db, broken, 'x')).rejects.toThrow('cable out')
    expect(await db('chunks').count({ n: '*' })).toEqual([{ n: 0 }])
  })
  test('what a dead writer left is collected after a day and not before', async () => {
    await db('blobs').insert([{ media_type: 'x' }, { media_type: 'x', created_at: db.raw('NOW() - INTERVAL 2 DAY') }])
    expect((await collectUnused(db)).contents).toBe(1)
    expect(await db('blobs').count({ n: '*' })).toEqual([{ n: 1 }])
  })
  test('unknown content and a missing chunk are said', async () => {
    await expect(readWholeBlob(db, 'f'.repeat(64))).rejects.toThrow(
      /ffffffffffff is not there\. Nothing in the ledger says what it was/,
    )
    const { sha256 } = await storeBlob(db, pieces(1 << 20), 'x')
    await db('chunks').where({ seq: 1 }).delete()
    await expect(
      (async () => {
        for await (const part of readBlob(db, sha256)) expect(part.length).toBeGreaterThan(0)
      })(),
    ).rejects.toThrow('lacks a part')
  })
})

describe('shapes', () => {
  test('are stored as glTF binaries with preview and thumbnail, and come back the same', async () => {
    const cloud = sphere(3000)
    const info = await storeArtefact(db, cloud)
    expect(info).toMatchObject({ kind: 'cloud', points: 3000, faces: 0 })
    expect(info.bounds!.max[2]).toBeCloseTo(10, 1)
    expect(await loadShape(db, info.hash)).toEqual(cloud)
    expect(new TextDecoder().decode((await readWholeBlob(db, info.hash)).subarray(0, 4))).toBe('glTF')
    expect(await blobSize(db, info.thumbHash!)).toBe(9 * 3000)
    expect(await findShape(db, info.previewHash!)).toBeNull()
    expect(await storeArtefact(db, cloud)).toEqual(info)
  })
  test('motions and selections are artefacts of their own', async () => {
    const m = rotationMotion([1, 2, 3], 0.5, [1, 2, 3])
    const info = await storeArtefact(db, {
      kind: 'motions',
      motions: { side: m, upright: rotationMotion([0, 0, 1], 0) },
    })
    expect(Array.from((await loadMotions(db, info.hash)).motions.side)).toEqual(Array.from(m))
    expect(await storeArtefact(db, { kind: 'selection', count: 9, bits: Uint8Array.of(1, 1) })).toMatchObject({
      kind: 'selection',
      points: 9,
    })
    expect(await storeArtefact(db, { kind: 'scalars', values: Float32Array.of(1, 2) })).toMatchObject({
      kind: 'scalars',
      points: 2,
    })
  })
})

describe('ledger', () => {
  test('steps make a chain; undo and redo move heads over all tracks in order; nothing is deleted', async () => {
    const id = await createPiece(db, { name: 'Lamp', number: '1' })
    const a = await db.transaction((t) => recordStep(t, id, step('take:1')))
    const b = await db.transaction((t) => recordStep(t, id, step('join')))
    const c = await db.transaction((t) => recordStep(t, id, step('take:1')))
    expect((await listSteps(db, id)).map((s) => [s.id, s.parentId])).toEqual([
      [a, null],
      [b, null],
      [c, a],
    ])
    expect(await undo(db, id)).toBe(c)
    expect(await undo(db, id)).toBe(b)
    expect(Object.fromEntries(await listHeads(db, id))).toEqual({ 'take:1': a })
    expect(await redo(db, id)).toBe(b)
    expect(await historyState(db, id)).toEqual({ canUndo: true, canRedo: true })
    const d = await db.transaction((t) => recordStep(t, id, step('take:1')))
    expect(await redo(db, id)).toBeNull()
    expect((await listSteps(db, id)).map((s) => [s.id, s.parentId]).at(-1)).toEqual([d, a])
    expect(await listSteps(db, id)).toHaveLength(4)
    for (let i = 0; i < 3; i++) expect(await undo(db, id)).not.toBeNull()
    expect(await undo(db, id)).toBeNull()
    expect((await listHeads(db, id)).size).toBe(0)
  })
  test('a step carries parameters, figures, findings, hashes, duration', async () => {
    const id = await createPiece(db, { name: 'Lamp', number: '1' })
    const full = step('mesh', {
      params: { spacingMm: 0.9 },
      inputs: { takes: ['a', 'b'] },
      outputs: { mesh: 'c' },
      figures: { faces: 12, closed: true, genus: 'none' },
      findings: [{ id: 'x', verdict: 'doubtful', text: 'Hm.' }],
      durationMs: 1234.4,
    })
    await recordStep(db, id, full)
    const [stored] = await listSteps(db, id)
    expect(stored).toMatchObject({ ...full, durationMs: 1234 })
    expect(Date.parse(stored.createdAt)).toBeGreaterThan(Date.now() - 60_000)
  })
  test('the speed of this machine is the median of the last steps', async () => {
    const id = await createPiece(db, { name: 'Lamp', number: '1' })
    expect(await secondsPerUnit(db, 'tidy.thin')).toBeNull()
    for (const durationMs of [1000, 4000, 400_000]) await recordStep(db, id, step('join', { durationMs, work: 2 }))
    expect(await secondsPerUnit(db, 'tidy.thin')).toBe(2)
  })
})

describe('pieces and takes', () => {
  test('names stay apart, the first take is fixed, one at a time', async () => {
    const id = await createPiece(db, { name: 'Lamp', number: '1' })
    const a = await createTake(db, id, 'upright', ''),
      b = await createTake(db, id, 'upright', '')
    expect([a.name, b.name]).toEqual(['upright', 'upright 2'])
    await updateTake(db, b.id, { fixed: true })
    expect(await db('takes').select('fixed').orderBy('id')).toEqual([{ fixed: 0 }, { fixed: 1 }])
    expect(await updateTake(db, 9999, { hidden: true })).toBe(false)
    expect((await listPieces(db)).map((p) => p.name)).toEqual(['Lamp'])
    expect(await pieceState(db, 9999)).toBeNull()
  })
  test('state: shapes where the heads stand, a check keeps the shape, what came before a change is stale, versions change', async () => {
    const id = await createPiece(db, { name: 'Lamp', number: '1' })
    const take = await createTake(db, id, 'a', '')
    const track: Track = `take:${take.id}`
    const first = await storeArtefact(db, sphere(500)),
      second = await storeArtefact(db, sphere(400))
    const before = (await pieceVersions(db, id)).piece
    await recordStep(db, id, step(track, { outputs: { take: first.hash } }))
    expect((await pieceVersions(db, id)).piece).not.toBe(before)
    const motions = await storeArtefact(db, { kind: 'motions', motions: { a: rotationMotion([0, 0, 1], 0) } })
    await recordStep(
      db,
      id,
      step('join', { operation: 'join.match', inputs: { takes: [first.hash] }, outputs: { motions: motions.hash } }),
    )
    const mesh = await storeArtefact(db, {
      kind: 'mesh',
      positions: Float32Array.of(0, 0, 0, 1, 0, 0, 0, 1, 0),
      indices: Uint32Array.of(0, 1, 2),
    })
    await recordStep(
      db,
      id,
      step('mesh', {
        operation: 'skin.make',
        inputs: { takes: [first.hash], motions: motions.hash },
        outputs: { mesh: mesh.hash },
      }),
    )
    await recordStep(db, id, step('mesh', { operation: 'mend.health' }))
    let state = (await pieceState(db, id))!
    expect(state.mesh).toMatchObject({ stale: false, shape: { hash: mesh.hash } })
    expect(state.mesh!.chain.map((s) => s.operation)).toEqual(['skin.make', 'mend.health'])
    expect(state.join!.stale).toBe(false)
    await recordStep(db, id, step(track, { outputs: { take: second.hash } }))
    state = (await pieceState(db, id))!
    // Cutting moves no point: the join stands, the skin was made of other points.
    expect([state.takes[0].shape!.hash, state.join!.stale, state.mesh!.stale]).toEqual([second.hash, false, true])
    await undo(db, id)
    // Smoothing does: what was joined lies elsewhere.
    await recordStep(db, id, step(track, { operation: 'tidy.smooth', outputs: { take: second.hash } }))
    expect((await pieceState(db, id))!.join!.stale).toBe(true)
    await undo(db, id)
    expect((await pieceState(db, id))!.mesh!.stale).toBe(false)
    expect((await pieceState(db, id))!.activeSteps).toHaveLength(4)
  })
})

test('of two takes with the very same points only the one that was gone on with is gone', async () => {
  const id = await createPiece(db, { name: 'Lamp', number: '' })
  const takes = [
    await createTake(db, id, 'a', ''),
    await createTake(db, id, 'b', ''),
    await createTake(db, id, 'c', ''),
  ]
  const own = await storeArtefact(db, sphere(300)),
    twin = await storeArtefact(db, sphere(200)),
    both = await storeArtefact(db, sphere(500))
  for (const [i, t] of takes.entries())
    await recordStep(db, id, step(`take:${t.id}`, { outputs: { take: (i === 0 ? own : twin).hash } }))
  await recordStep(
    db,
    id,
    step(`take:${takes[0].id}`, {
      operation: 'take.goOn',
      inputs: { takes: [own.hash, twin.hash], of: [takes[0].id, takes[1].id].map(String) },
      outputs: { take: both.hash },
    }),
  )
  const names = async (): Promise<string[]> => (await pieceState(db, id))!.takes.map((t) => t.name)
  expect(await names()).toEqual(['a', 'c'])
  await undo(db, id)
  expect(await names()).toEqual(['a', 'b', 'c'])
})

test('the list of steps leaves the large texts of briefs and plans where they are', async () => {
  const id = await createPiece(db, { name: 'Lamp', number: '' })
  await recordStep(db, id, step('brief', { operation: 'brief.write', params: { text: 'x'.repeat(50_000) } }))
  const sentOn = async (on: Database): Promise<number> => {
    const [[row]] = (await on.raw("SHOW SESSION STATUS LIKE 'Bytes_sent'")) as [[{ Value: string }]]
    return Number(row.Value)
  }
  await db.transaction(async (trx) => {
    const before = await sentOn(trx)
    expect((await listSteps(trx, id))[0].params).toEqual({})
    expect((await sentOn(trx)) - before).toBeLessThan(20_000)
  })
})

describe('jobs', () => {
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
    expect(await isBusy(db, id, ['mesh'])).toBe(false)
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
    await submitJob(db, id, 'mesh', 'Skin', {
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
    return submitJob(db, id, 'mesh', 'Skin', {
      kind: 'operation',
      operation: 'skin.make',
      params: { names: ['a'], spacingMm: 0.9 },
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
      { names: ['a'], spacingMm: 0.9 },
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
