import { describe, expect, test } from 'vitest'
import { rotationMotion } from '@holosoma/core'
import type { Database } from '../store/database'
import { undo } from '../ledger/history'
import { recordStep, type Track } from '../ledger/ledger'
import { createResult, deriveResult, resultTrack } from './results'
import { createTake, updateTake } from './takes'
import { pieceState, pieceVersions } from './state'
import { createPiece, listPieces, pieceBytes, removePiece, updatePiece } from './pieces'
import { submitJob } from '../jobs/jobs'
import { onTestDatabase } from '../testing/test-piece'
import { storeArtefact } from '../blobs/shape-store'
import { sphere, step } from '../testing/samples'

let db: Database
onTestDatabase((given) => void (db = given))

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
      step('join', {
        operation: 'join.match',
        params: { names: ['a'] },
        inputs: { takes: [first.hash] },
        outputs: { motions: motions.hash },
      }),
    )
    const result = resultTrack((await createResult(db, id, 'skin')).id)
    const mesh = await storeArtefact(db, {
      kind: 'mesh',
      positions: Float32Array.of(0, 0, 0, 1, 0, 0, 0, 1, 0),
      indices: Uint32Array.of(0, 1, 2),
    })
    await recordStep(
      db,
      id,
      step(result, {
        operation: 'skin.make',
        inputs: { takes: [first.hash], motions: motions.hash },
        outputs: { mesh: mesh.hash },
      }),
    )
    await recordStep(db, id, step(result, { operation: 'mend.health' }))
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

describe('pieces that are put away', () => {
  test('called otherwise, binned, taken out; gone for good only from the bin, with what is kept for it alone', async () => {
    const lamp = await createPiece(db, { name: 'A', number: '' })
    const jug = await createPiece(db, { name: 'Jug', number: '' })
    const own = await storeArtefact(db, sphere(400)),
      shared = await storeArtefact(db, sphere(300))
    for (const [piece, shapes] of [
      [lamp, [own, shared]],
      [jug, [shared]],
    ] as const)
      for (const shape of shapes) {
        const { id } = await createTake(db, piece, 'take', '')
        await recordStep(db, piece, step(`take:${id}`, { outputs: { take: shape.hash } }))
      }
    // Steps on steps, and a result begun from another: all of it hangs together.
    for (let k = 0; k < 3; k++) await recordStep(db, lamp, step('join'))
    const skin = await createResult(db, lamp, 'skin')
    const made = await recordStep(db, lamp, step(resultTrack(skin.id), { outputs: { mesh: own.hash } }))
    await deriveResult(db, lamp, { ...skin, stepId: made, mesh: own.hash }, 'print')
    await updatePiece(db, lamp, { name: 'Oil lamp', number: 'HQ-014' })
    expect((await listPieces(db))[0]).toMatchObject({ name: 'Oil lamp', number: 'HQ-014', binned: false })
    await expect(removePiece(db, lamp)).rejects.toThrow('“Oil lamp” is on the shelf; put it into the bin first.')
    await updatePiece(db, lamp, { binned: true })
    expect((await listPieces(db)).map((p) => p.binned)).toEqual([true, false])
    // The points both are made of are the jug's as well.
    const blobs = (await db('blobs').whereIn(
      'sha256',
      [own.hash, own.previewHash, own.thumbHash].filter((h) => h !== null),
    )) as { bytes: number }[]
    expect(await pieceBytes(db, lamp)).toBe(blobs.reduce((n, b) => n + Number(b.bytes), 0))
    expect(await pieceBytes(db, jug)).toBe(0)
    expect(await removePiece(db, lamp)).toBe(true)
    expect((await listPieces(db)).map((p) => p.name)).toEqual(['Jug'])
    for (const table of ['steps', 'heads', 'moves', 'results', 'takes'])
      expect(await db(table).where({ piece_id: lamp })).toEqual([])
    expect((await pieceState(db, jug))!.takes[0].shape!.hash).toBe(shared.hash)
    expect(await removePiece(db, lamp)).toBe(false)
  })
  test('not while something is at work on it, and never without a name', async () => {
    const id = await createPiece(db, { name: 'Lamp', number: '' })
    await submitJob(db, id, 'join', 'Matching', { kind: 'operation', operation: 'join.match', params: {}, inputs: {} })
    await expect(updatePiece(db, id, { binned: true })).rejects.toThrow('Something is at work on “Lamp”')
    await expect(updatePiece(db, id, { name: '\u0000' })).rejects.toThrow('A piece needs a name')
  })
})
