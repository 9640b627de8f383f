import { afterAll, beforeAll, describe, expect, test } from 'vitest'
import { transact, type Database } from '../store/database'
import { claimJob, completeJob, listJobs, submitJob } from '../jobs/jobs'
import { historyState, redo, undo } from './history'
import { listHeads, listSteps, recordStep, type NewStep, type Track } from './ledger'
import { storeBlob } from '../blobs/blobs'
import { createTake } from '../pieces/takes'
import { pieceState } from '../pieces/state'
import { createPiece } from '../pieces/pieces'
import { storeArtefact } from '../blobs/shape-store'
import { step as plainStep } from '../testing/samples'
import { holdTestDatabase } from '../testing/test-database'

let db: Database
let release: () => Promise<void>
beforeAll(async () => {
  ;({ db, release } = await holdTestDatabase())
}, 300_000)
afterAll(() => release())

const step = (track: Track, description: string): NewStep => plainStep(track, { description })

describe('many hands at once', () => {
  test('twenty jobs among five workers: each is done once, none is lost', async () => {
    await db('jobs').delete()
    const piece = await createPiece(db, { name: 'Crowd', number: '' })
    for (let i = 0; i < 20; i++) {
      await submitJob(db, piece, `take:${i}`, `job ${i}`, {
        kind: 'operation',
        operation: 'tidy.thin',
        params: {},
        inputs: {},
      })
    }
    const done: number[] = []
    const worker = async (name: string): Promise<void> => {
      for (let idle = 0; idle < 5;) {
        const job = await claimJob(db, name)
        if (!job) {
          idle++
          await new Promise((r) => setTimeout(r, 20))
          continue
        }
        idle = 0
        if (await completeJob(db, job, step(job.track, job.title))) done.push(job.id)
      }
    }
    await Promise.all(['a', 'b', 'c', 'd', 'e'].map(worker))
    expect(done).toHaveLength(20)
    expect(new Set(done).size).toBe(20)
    const steps = await listSteps(db, piece)
    expect(new Set(steps.map((s) => s.description)).size).toBe(20)
    expect((await listJobs(db, piece, 50)).every((j) => j.state === 'done')).toBe(true)
  })

  test('takes made at the same moment get names and numbers of their own, and one of them is fixed', async () => {
    const piece = await createPiece(db, { name: 'Crowd', number: '' })
    const takes = await Promise.all(Array.from({ length: 8 }, () => createTake(db, piece, 'side', '')))
    expect(new Set(takes.map((t) => t.name)).size).toBe(8)
    const rows = (await db('takes').where({ piece_id: piece })) as { ordinal: number; fixed: number }[]
    expect(rows.map((r) => r.ordinal).sort()).toEqual([1, 2, 3, 4, 5, 6, 7, 8])
    expect(rows.filter((r) => r.fixed)).toHaveLength(1)
  })

  test('who looks while steps are written sees each whole or not at all: a take never stands without its points', async () => {
    const piece = await createPiece(db, { name: 'Crowd', number: '' })
    const take = await createTake(db, piece, 'side', '')
    const { hash } = await storeArtefact(db, {
      kind: 'cloud',
      positions: Float32Array.of(0, 0, 0, 1, 0, 0, 0, 1, 0, 0, 0, 1),
    })
    const write = (k: number): Promise<unknown> =>
      transact(db, (trx) => recordStep(trx, piece, { ...step(`take:${take.id}`, `act ${k}`), outputs: { take: hash } }))
    await write(0)
    let writing = true,
      looked = 0
    const look = async (): Promise<void> => {
      for (let last = 0; writing; looked++) {
        const state = (await pieceState(db, piece))!
        expect(state.takes.map((t) => t.shape?.hash)).toEqual([hash])
        // The step the take stands on is among the steps, and nothing goes back.
        const at = state.steps.findIndex((s) => s.id === state.takes[0].stepId)
        expect(at).toBeGreaterThanOrEqual(last)
        last = at
      }
    }
    // More than there are connections, so that some wait between one question and the next.
    await Promise.all([
      ...Array.from({ length: 12 }, look),
      (async () => {
        for (let k = 1; k <= 60; k++) await write(k)
        writing = false
      })(),
    ])
    expect(looked).toBeGreaterThan(10)
  })

  test('the same content written by six at once is kept once', async () => {
    const bytes = new Uint8Array(1_500_000).map((_, i) => (i * 31) ^ (i >> 9))
    const infos = await Promise.all(Array.from({ length: 6 }, () => storeBlob(db, [bytes], 'x')))
    expect(new Set(infos.map((i) => i.sha256)).size).toBe(1)
    expect(await db('blobs').where({ sha256: infos[0].sha256 }).count({ n: '*' })).toEqual([{ n: 1 }])
    const [orphans] = (await db('chunks')
      .leftJoin('blobs', 'blobs.id', 'chunks.blob_id')
      .whereNull('blobs.sha256')
      .count({ n: '*' })) as [{ n: number }]
    expect(orphans.n).toBe(0)
  })
})

test('any mix of steps, undos and redos keeps heads, history and ledger in agreement (seeded)', async () => {
  for (let seed = 1; seed <= 4; seed++) {
    const piece = await createPiece(db, { name: `Model ${seed}`, number: '' })
    let state = seed * 2654435761
    const random = (n: number): number => {
      state = (state * 1664525 + 1013904223) >>> 0
      return Math.floor((state / 2 ** 32) * n)
    }
    // The model: a list of moves and a cursor, as an undo stack is taught.
    const moves: { track: Track; from: number | null; to: number }[] = []
    let cursor = 0
    const heads = new Map<Track, number | null>()
    let made = 0
    for (let i = 0; i < 40; i++) {
      const act = random(10)
      if (act < 5) {
        const track = (['take:1', 'take:2', 'join', 'result:1'] as const)[random(4)]
        const id = await db.transaction((t) => recordStep(t, piece, step(track, `step ${i}`)))
        moves.splice(cursor)
        moves.push({ track, from: heads.get(track) ?? null, to: id })
        cursor++
        heads.set(track, id)
        made++
      } else if (act < 8) {
        const move = cursor > 0 ? moves[--cursor] : null
        expect(await undo(db, piece)).toBe(move?.to ?? null)
        if (move) heads.set(move.track, move.from)
      } else {
        const move = cursor < moves.length ? moves[cursor++] : null
        expect(await redo(db, piece)).toBe(move?.to ?? null)
        if (move) heads.set(move.track, move.to)
      }
      const stored = Object.fromEntries(await listHeads(db, piece))
      expect(stored, `seed ${seed}, move ${i}`).toEqual(Object.fromEntries([...heads].filter(([, v]) => v !== null)))
      expect(await historyState(db, piece)).toEqual({ canUndo: cursor > 0, canRedo: cursor < moves.length })
    }
    expect(await listSteps(db, piece)).toHaveLength(made)
  }
})
