import { spawn, type ChildProcess } from 'node:child_process'
import { tmpdir } from 'node:os'
import { dirname, join } from 'node:path'
import { fileURLToPath } from 'node:url'
import { afterEach, describe, expect, test } from 'vitest'
import { quietContext, runOperation, skinTakes, type PointCloud } from '@holosoma/core'
import { listActs } from './ledger/acts'
import { importTake } from './blobs/arrivals'
import { readBlob, readWholeBlob, storeBlob } from './blobs/blobs'
import { type Database } from './store/database'
import { removeDevice, saveDevices } from './bench/devices'
import { writeBrief, writePlan } from './ledger/documents'
import { EMPTY_BRIEF } from '@holosoma/core/brief'
import { DEVICE_CLASSES, firstPlan } from '@holosoma/core/plan'
import { cancelJob, claimJob, listJobs, STALE_SECONDS, submitJob, type JobRequest } from './jobs/jobs'
import { redo, undo } from './ledger/history'
import { recordStep, type NewStep } from './ledger/ledger'
import { cleanName } from './pieces/names'
import { createTake, updateTake } from './pieces/takes'
import { pieceState } from './pieces/state'
import { createPiece } from './pieces/pieces'
import { loadShape, storeArtefact } from './blobs/shape-store'
import { collectUnused, freeBytes, noRoom, spaceUsed } from './blobs/space'
import { step } from './testing/samples'
import { onTestPiece } from './testing/test-piece'

const here = dirname(fileURLToPath(import.meta.url))
let db: Database
let piece: number
onTestPiece({ name: 'Lamp', number: 'T14' }, (given) => {
  ;({ db, piece } = given)
})
const record = (s: NewStep): Promise<number> => db.transaction((trx) => recordStep(trx, piece, s))
const bytes = (n: number, seed = 1): Uint8Array[] => [
  Uint8Array.from({ length: n }, (_, i) => (i * 31 + seed * 7) & 255),
]
const cloud = (x: number): PointCloud => ({
  kind: 'cloud',
  positions: Float32Array.from({ length: 300 }, (_, i) => x + Math.cos(i) * 5),
  normals: Float32Array.from({ length: 300 }, (_, i) => (i % 3 === 2 ? 1 : 0)),
})

describe('A4: names in any script, long and odd', () => {
  test('are composed, cut between letters, and never taken for something else', () => {
    expect(cleanName('e\u0301tude', 100)).toBe('étude')
    expect(cleanName('\u0000a\tb\u2028c\u202e ', 100)).toBe('a b c\u202e')
    expect(cleanName('👩‍🚀'.repeat(300), 100).length).toBeLessThanOrEqual(400)
    expect([...new Intl.Segmenter().segment(cleanName('🏺'.repeat(300), 100))].length).toBe(100)
    expect(cleanName('\ud83c', 10)).toBe('')
    expect(cleanName('__proto__', 100)).not.toBe('__proto__')
  })
  test('200 letters, emoji, decomposed accents, words of the language: each is a take, a step and a job', async () => {
    for (const name of [
      'x'.repeat(200),
      '🏺'.repeat(160),
      'e\u0301'.repeat(153),
      '__proto__',
      'constructor',
      'toString',
      "Robert'); DROP TABLE takes;--",
      ' \u200d ',
    ]) {
      const take = await createTake(db, piece, name, name)
      await submitJob(db, piece, `take:${take.id}`, `Reading “${name}” ${name}`, {
        kind: 'recipe',
        steps: [],
        take: 'x',
      })
      await record(step(`take:${take.id}`, { description: name }))
    }
    expect((await listJobs(db, piece)).length).toBe(8)
    expect(
      new Set(((await db('takes').where({ piece_id: piece }).select('name')) as { name: string }[]).map((t) => t.name))
        .size,
    ).toBe(8)
  })
  test('30 undos at once: each moves once, none fails', async () => {
    for (let i = 0; i < 30; i++) await record(step('join', { description: `step ${i}` }))
    const done = await Promise.all(Array.from({ length: 30 }, () => undo(db, piece)))
    expect(new Set(done).size).toBe(30)
    expect(await undo(db, piece)).toBeNull()
    expect(
      (await Promise.all(Array.from({ length: 30 }, () => redo(db, piece)))).filter((s) => s !== null),
    ).toHaveLength(30)
  })
})

describe('B5: takes are told apart by who they are', () => {
  const motion = (x: number): number[][] => [
    [1, 0, 0, x],
    [0, 1, 0, 0],
    [0, 0, 1, 0],
    [0, 0, 0, 1],
  ]
  /** Two takes and a match of them, as a job would have written it. */
  const joined = async (): Promise<{ a: { id: number }; b: { id: number }; hashes: string[] }> => {
    const a = await createTake(db, piece, 'upright', 'upright'),
      b = await createTake(db, piece, 'side', 'on its side')
    const hashes = [(await storeArtefact(db, cloud(0))).hash, (await storeArtefact(db, cloud(3))).hash]
    await record(step(`take:${a.id}`, { operation: 'take.import', outputs: { take: hashes[0] } }))
    await record(step(`take:${b.id}`, { operation: 'take.import', outputs: { take: hashes[1] } }))
    const motions = await storeArtefact(db, {
      kind: 'motions',
      motions: { upright: Float64Array.from(motion(0).flat()), side: Float64Array.from(motion(-3).flat()) },
    })
    await record(
      step('join', {
        operation: 'join.match',
        params: { names: ['upright', 'side'] },
        inputs: { takes: hashes, of: [String(a.id), String(b.id)] },
        outputs: { motions: motions.hash },
      }),
    )
    return { a, b, hashes }
  }
  test('a take called otherwise after the match keeps its place', async () => {
    const { a, b } = await joined()
    await updateTake(db, b.id, { name: 'the other', was: 'side' })
    const join = (await pieceState(db, piece))!.join!
    expect(join.motions['the other'][0][3]).toBe(-3)
    expect(join.motions.side).toBeUndefined()
    expect(join.calledThen).toEqual({ [a.id]: 'upright', [b.id]: 'side' })
    expect(join.renamed).toEqual([['side', 'the other']])
    expect(join.stale).toBe(false)
  })
  test('two that exchange their names do not exchange their places', async () => {
    const { a, b } = await joined()
    await updateTake(db, a.id, { name: 'x' })
    await updateTake(db, b.id, { name: 'upright' })
    await updateTake(db, a.id, { name: 'side' })
    const join = (await pieceState(db, piece))!.join!
    expect([join.motions.side[0][3], join.motions.upright[0][3]]).toEqual([0, -3])
  })
  test('no two takes of a piece have one name; a match of older versions is read by name, then by its points', async () => {
    const { b } = await joined()
    await expect(updateTake(db, b.id, { name: 'upright' })).rejects.toThrow('Another take is called “upright” already')
    await expect(db('takes').insert({ piece_id: piece, name: 'side', pose: '', ordinal: 9 })).rejects.toThrow(
      /Duplicate entry/,
    )
    expect((await createTake(db, piece, 'side', '')).name).toBe('side 2')
    // e with an accent and without are two names.
    expect((await createTake(db, piece, 'sidé', '')).name).toBe('sidé')
    await db('steps')
      .where({ operation: 'join.match' })
      .update({ inputs: db.raw("JSON_REMOVE(inputs, '$.of')") })
    await updateTake(db, b.id, { name: 'other' })
    expect((await pieceState(db, piece))!.join!.motions.other[0][3]).toBe(-3)
  })
  test('an operation refuses two of one name instead of laying one where the other belongs', async () => {
    const inputs = {
      takes: [cloud(0), cloud(3)],
      motions: { kind: 'motions' as const, motions: { a: Float64Array.from(motion(0).flat()) } },
    }
    await expect(
      (async () => runOperation(skinTakes, inputs, { names: ['a', 'a'], spacingMm: 1 }, quietContext(1)))(),
    ).rejects.toThrow(/Two takes have the same name/)
    await expect(
      (async () => runOperation(skinTakes, inputs, { names: ['a', 'constructor'], spacingMm: 1 }, quietContext(1)))(),
    ).rejects.toThrow(/no motion for the take "constructor"/)
  })
})

describe('B7: stored bytes are held against their check sum', () => {
  const damage = (blob: string): Promise<unknown> =>
    db.raw(
      'UPDATE chunks SET data = CONCAT(SUBSTR(data, 1, 5), CHAR(255 - ORD(SUBSTR(data, 6, 1))), SUBSTR(data, 7)) WHERE seq = 0 AND blob_id = (SELECT id FROM blobs WHERE sha256 = ?)',
      [blob],
    )
  const shapeOf = async (): Promise<{ hash: string; from: string }> => {
    const from = (await storeArtefact(db, cloud(0))).hash,
      { hash } = await storeArtefact(db, cloud(1))
    await record(
      step('take:1', {
        operation: 'take.import',
        inputs: { upload: from },
        outputs: { take: from },
        description: 'Imported lamp.ply',
      }),
    )
    await record(
      step('take:1', {
        operation: 'tidy.thin',
        inputs: { take: from },
        outputs: { take: hash },
        description: 'Thinned it',
      }),
    )
    return { hash, from }
  }
  test('a changed chunk is never given out; what it was and that it can be made again is said', async () => {
    const { hash } = await shapeOf()
    await damage(hash)
    await expect(loadShape(db, hash)).rejects.toThrow(
      /What step \d+ of “Lamp” left \(Thinned it; [0-9a-f]{12}\) is not what was stored.*can be made again: what it was made of is here/,
    )
    await expect(readWholeBlob(db, hash)).rejects.toMatchObject({ code: 'DAMAGED' })
  })
  test('a stream gives its last part only when all were right', async () => {
    const { sha256 } = await storeBlob(db, bytes(3 << 20), 'x')
    await damage(sha256)
    let given = 0
    await expect(
      (async () => {
        for await (const part of readBlob(db, sha256)) given += part.length
      })(),
    ).rejects.toThrow(/check sum is another/)
    expect(given).toBe(2 << 20)
  })
  test('what came from outside must come again; what is gone with its source is said to be', async () => {
    const { hash, from } = await shapeOf()
    await damage(from)
    await expect(loadShape(db, from)).rejects.toThrow(/Drop its file again/)
    await db('blobs').where({ sha256: from }).delete()
    await damage(hash)
    await expect(loadShape(db, hash)).rejects.toThrow(/What it was made of is gone too/)
  })
  test('a blob that lost a row, or grew, is not whole', async () => {
    const { sha256 } = await storeBlob(db, bytes(3 << 20), 'x')
    await db('chunks').where({ seq: 1 }).delete()
    await expect(readWholeBlob(db, sha256)).rejects.toThrow(/lacks a part/)
    const other = await storeBlob(db, bytes(100, 2), 'x')
    await db.raw(
      "UPDATE chunks SET data = CONCAT(data, 'more') WHERE blob_id = (SELECT id FROM blobs WHERE sha256 = ?)",
      [other.sha256],
    )
    await expect(readWholeBlob(db, other.sha256)).rejects.toThrow(/is not whole|check sum/)
  })
})

describe('B8: clocks', () => {
  const thin: JobRequest = { kind: 'operation', operation: 'tidy.thin', params: { spacingMm: 2 }, inputs: {} }
  test('a job whose heartbeat lies ahead of a clock that was set back is taken up again', async () => {
    await submitJob(db, piece, 'take:1', 'one', thin)
    await claimJob(db, 'a')
    expect(await claimJob(db, 'b')).toBeNull()
    await db('jobs').update({ heartbeat_at: db.raw('NOW(3) + INTERVAL 1 HOUR') })
    expect((await claimJob(db, 'b'))!.attempt).toBe(2)
  })
  test('a worker never takes over a job it has at work itself', async () => {
    const id = await submitJob(db, piece, 'take:1', 'one', thin)
    await claimJob(db, 'a')
    await db('jobs').update({ heartbeat_at: db.raw('NOW(3) - INTERVAL ? SECOND', [STALE_SECONDS + 1]) })
    expect(await claimJob(db, 'a', [id])).toBeNull()
    expect((await claimJob(db, 'b', []))!.id).toBe(id)
  })
})

describe('B10: space', () => {
  const age = (): Promise<unknown> =>
    db('blobs').update({ touched_at: db.raw('NOW(3) - INTERVAL 2 DAY'), created_at: db.raw('NOW() - INTERVAL 2 DAY') })
  const here = async (): Promise<string[]> =>
    ((await db('blobs').select('sha256')) as { sha256: string }[]).map((r) => r.sha256)
  test('what nothing points to goes after a day; steps, undone ones too, jobs and small pictures keep theirs', async () => {
    const kept = await storeArtefact(db, cloud(0)),
      undone = await storeArtefact(db, cloud(1)),
      lost = await storeArtefact(db, cloud(2))
    const upload = await storeBlob(db, bytes(50), 'x'),
      waiting = await storeBlob(db, bytes(50, 2), 'x')
    await record(step('take:1', { inputs: { upload: upload.sha256 }, outputs: { take: kept.hash } }))
    await record(step('take:1', { outputs: { take: undone.hash } }))
    await undo(db, piece)
    await submitJob(db, piece, 'take:2', 'r', { kind: 'import', upload: waiting.sha256, fileName: 'a.ply' })
    expect((await collectUnused(db)).contents).toBe(0)
    await age()
    const gone = await collectUnused(db)
    expect(gone.contents).toBeGreaterThan(0)
    const left = await here()
    for (const h of [kept.hash, kept.thumbHash!, undone.hash, upload.sha256, waiting.sha256]) expect(left).toContain(h)
    expect(left).not.toContain(lost.hash)
    expect(await db('shapes').where({ hash: lost.hash })).toEqual([])
  })
  test('a scan that only a plan points to, as the stand-in for its piece, stays', async () => {
    const standIn = await storeArtefact(db, {
      kind: 'mesh',
      positions: new Float32Array(9),
      indices: new Uint32Array([0, 1, 2]),
    })
    await writePlan(db, piece, firstPlan(undefined, { kind: 'mesh', hash: standIn.hash, name: 'a quick scan' }))
    await age()
    await collectUnused(db)
    expect(await here()).toContain(standIn.hash)
    expect((await loadShape(db, standIn.hash)).kind).toBe('mesh')
  })
  test('content that is wanted again in between stays', async () => {
    const { sha256 } = await storeBlob(db, bytes(50), 'x')
    await age()
    await storeBlob(db, bytes(50), 'x')
    await collectUnused(db)
    expect(await here()).toEqual([sha256])
  })
  test('what is used and what is free is told; without room nothing is begun', async () => {
    await storeBlob(db, bytes(1000), 'x')
    expect(await spaceUsed(db)).toMatchObject({ usedBytes: 1000, contents: 1 })
    process.env.HOLOSOMA_DATA_DIR = tmpdir()
    try {
      expect(freeBytes()).toBeGreaterThan(1e6)
      expect(noRoom(1000, '“a.ply”')).toBeNull()
      process.env.HOLOSOMA_RESERVE_BYTES = '1e15'
      expect(noRoom(1000, '“a.ply”')).toMatch(
        /^The disk is nearly full: .* MB are free, and “a\.ply” needs 1,000,000,000 MB/,
      )
    } finally {
      delete process.env.HOLOSOMA_DATA_DIR
      delete process.env.HOLOSOMA_RESERVE_BYTES
    }
  })
})

describe('B11: the later writer is told', () => {
  test('a brief written on an older version is refused and changes nothing', async () => {
    const first = await writeBrief(db, piece, { ...EMPTY_BRIEF, heightMm: 10 }, null)
    const second = await writeBrief(db, piece, { ...EMPTY_BRIEF, heightMm: 20 }, first)
    await expect(writeBrief(db, piece, { ...EMPTY_BRIEF, heightMm: 30 }, first)).rejects.toMatchObject({
      code: 'CONFLICT',
      message: expect.stringMatching(/The brief was changed meanwhile/) as string,
    })
    await expect(writeBrief(db, piece, { ...EMPTY_BRIEF, heightMm: 30 }, null)).rejects.toThrow(/changed meanwhile/)
    expect((await pieceState(db, piece))!.brief!.content.heightMm).toBe(20)
    // The same text is no conflict; written over on purpose it goes.
    expect((await writeBrief(db, piece, { ...EMPTY_BRIEF, heightMm: 20 }, first)).stepId).toBe(second.stepId)
    await writeBrief(db, piece, { ...EMPTY_BRIEF, heightMm: 30 })
    expect((await pieceState(db, piece))!.brief!.content.heightMm).toBe(30)
  })
  test('of ten writers at once on one version, one is first and nine are told', async () => {
    const base = await writePlan(db, piece, firstPlan(), null, null)
    const results = await Promise.allSettled(
      Array.from({ length: 10 }, (_, i) =>
        writePlan(db, piece, { ...firstPlan(), coatMicrometres: 5 + i }, null, base),
      ),
    )
    expect(results.filter((r) => r.status === 'fulfilled')).toHaveLength(1)
  })
  test('a name that has become another is not written over', async () => {
    const { id } = await createTake(db, piece, 'a', '')
    await updateTake(db, id, { name: 'b', was: 'a' })
    await expect(updateTake(db, id, { name: 'c', was: 'a' })).rejects.toThrow(
      /Someone else has called this take “b” meanwhile/,
    )
  })
})

describe('B12: the same file, dropped twenty times at once', () => {
  test('is one take and one job; undone, it may come again', async () => {
    const { sha256 } = await storeBlob(db, bytes(80), 'x')
    const drop = (): Promise<unknown> => importTake(db, piece, 'lamp.ply', sha256, { unit: 'auto', up: 'z' })
    const results = await Promise.allSettled(Array.from({ length: 20 }, drop))
    expect(results.filter((r) => r.status === 'fulfilled')).toHaveLength(1)
    expect(String((results.find((r) => r.status === 'rejected') as PromiseRejectedResult).reason)).toContain(
      '“lamp.ply” is here already, as “lamp”',
    )
    expect(await db('takes').where({ piece_id: piece }).count({ n: '*' })).toEqual([{ n: 1 }])
    const job = (await claimJob(db, 'w'))!
    await db('jobs').where({ id: job.id }).update({ state: 'done' })
    await record(
      step(job.track, { operation: 'take.import', inputs: { upload: sha256 }, outputs: { take: 'a'.repeat(64) } }),
    )
    await expect(drop()).rejects.toThrow(/here already/)
    await undo(db, piece)
    await drop()
  })
})

test('B13: undo, redo, names, locks, cancelled jobs and device profiles are in the record', async () => {
  const { id } = await createTake(db, piece, 'a', '')
  await record(step('join', { description: 'Joined a and b' }))
  await undo(db, piece)
  await redo(db, piece)
  await updateTake(db, id, { name: 'b' })
  await updateTake(db, id, { locked: true })
  await cancelJob(
    db,
    await submitJob(db, piece, 'join', 'Matching the takes', { kind: 'recipe', steps: [], take: 'x' }),
  )
  const acts = await listActs(db, piece)
  expect(acts.map((a) => a.kind)).toEqual(['undo', 'redo', 'rename', 'lock', 'cancel'])
  expect(acts.map((a) => a.text)).toEqual([
    expect.stringMatching(/^Undone: step \d+, Joined a and b$/),
    expect.stringMatching(/^Done again: step/),
    'Called “a” now “b”',
    'Locked “b”',
    'Cancelled: Matching the takes',
  ])
  expect(acts.every((a) => a.who === 'bench' && !Number.isNaN(Date.parse(a.at)))).toBe(true)
  await saveDevices(db, [{ ...DEVICE_CLASSES[0], id: 'mine', name: 'Mine' }])
  await removeDevice(db, 'mine')
  expect((await listActs(db, null)).map((a) => a.text)).toEqual([
    expect.stringMatching(/^Changed the profile “Mine” to version/),
    'Took the profile “mine” away',
  ])
})

describe('A3: a cancel works', () => {
  let worker: ChildProcess | undefined
  afterEach(() => worker?.kill('SIGKILL'))
  test('even in the middle of a step that asks nobody', async () => {
    worker = spawn(process.execPath, ['--enable-source-maps', join(here, '..', 'dist', 'worker.mjs')], {
      env: { ...process.env, HOLOSOMA_DATABASE_URL: process.env.HOLOSOMA_TEST_DATABASE_URL },
      stdio: ['ignore', 'ignore', 'inherit'],
    })
    const stateOf = async (id: number): Promise<string> =>
      ((await db('jobs').where({ id }).first('state')) as { state: string }).state
    const until = async (id: number, wanted: string): Promise<void> => {
      for (const end = Date.now() + 60_000; (await stateOf(id)) !== wanted; await new Promise((r) => setTimeout(r, 20)))
        if (Date.now() > end) throw new Error(`waited too long for ${wanted}`)
    }
    // Two million points on a line: thinning by curvature asks for long stretches at a time.
    const big: PointCloud = {
      kind: 'cloud',
      positions: Float32Array.from({ length: 6_000_000 }, (_, i) => Math.sin(i * 0.37) * 60),
    }
    const { hash } = await storeArtefact(db, big)
    const other = await createPiece(db, { name: 'Other', number: '' })
    for (let k = 0; k < 3; k++) {
      const id = await submitJob(db, other, 'result:1', 'Skin', {
        kind: 'operation',
        operation: 'skin.make',
        params: { names: ['a'], spacingMm: 0.3 },
        inputs: { takes: [hash] },
      })
      await until(id, 'running')
      await new Promise((r) => setTimeout(r, 300 + 700 * k))
      await cancelJob(db, id)
      // Left alone it would be done, and that cannot be mistaken for it.
      await until(id, 'cancelled')
    }
  })
})
