import { describe, expect, test } from 'vitest'
import { identityMotion } from '@holosoma/core/linear'
import { pointedTo } from '../blobs/space'
import { storeArtefact } from '../blobs/shape-store'
import { submitJob } from '../jobs/jobs'
import { undo } from '../ledger/history'
import { recordStep } from '../ledger/ledger'
import type { Database } from '../store/database'
import { sphere, step } from '../testing/samples'
import { onTestPiece } from '../testing/test-piece'
import { bytesOf, removeForGood } from './removal'
import { createResult, resultTrack, updateResult } from './results'
import { pieceState, type PieceState } from './state'
import { createTake, updateTake, updateTakes } from './takes'

let db: Database
let piece: number
onTestPiece({ name: 'Lamp', number: '' }, (given) => {
  ;({ db, piece } = given)
})

const state = async (): Promise<PieceState> => (await pieceState(db, piece))!
/** A take of so many points, so that each is another. */
async function taken(name: string, points: number, pose = ''): Promise<number> {
  const { id } = await createTake(db, piece, name, pose)
  const take = (await storeArtefact(db, sphere(points))).hash
  await recordStep(db, piece, step(`take:${id}`, { operation: 'take.import', outputs: { take } }))
  return id
}
/** A match of all takes there are, in which some found a place. */
async function matched(placed: readonly string[]): Promise<void> {
  const { takes } = await state()
  const motions = Object.fromEntries(placed.map((n) => [n, identityMotion()]))
  const { hash } = await storeArtefact(db, { kind: 'motions', motions })
  await recordStep(
    db,
    piece,
    step('join', {
      operation: 'join.match',
      params: { names: takes.map((t) => t.name) },
      inputs: { takes: takes.map((t) => t.shape!.hash), of: takes.map((t) => String(t.id)) },
      outputs: { motions: hash },
    }),
  )
}
async function skinned(): Promise<number> {
  const { takes, goesIn, join } = await state()
  const { id } = await createResult(db, piece, 'skin')
  const mesh = (
    await storeArtefact(db, {
      kind: 'mesh',
      positions: Float32Array.of(0, 0, 0, 1, 0, 0, 0, goesIn.length, 0),
      indices: Uint32Array.of(0, 1, 2),
    })
  ).hash
  await recordStep(
    db,
    piece,
    step(resultTrack(id), {
      operation: 'skin.make',
      inputs: {
        takes: takes.filter((t) => goesIn.includes(t.id)).map((t) => t.shape!.hash),
        ...(join && { motions: join.step.outputs.motions }),
      },
      outputs: { mesh },
    }),
  )
  return id
}

describe('takes in the join and in the skin', () => {
  test('one that found no place holds the others back from nothing; left out, the join stands as it was', async () => {
    const ids = [await taken('a', 100), await taken('b', 120), await taken('c', 140)]
    await matched(['a', 'b'])
    expect(await state()).toMatchObject({ goesIn: ids.slice(0, 2), join: { stale: false } })
    await updateTake(db, ids[2], { inJoin: false })
    expect(await state()).toMatchObject({ goesIn: ids.slice(0, 2), join: { stale: false } })
  })
  test('one that has its place makes the join stale by leaving it, and the skin by leaving that', async () => {
    const ids = [await taken('a', 100), await taken('b', 120), await taken('c', 140)]
    await matched(['a', 'b', 'c'])
    await skinned()
    expect((await state()).mesh!.stale).toBe(false)
    await updateTake(db, ids[2], { inSkin: false })
    expect(await state()).toMatchObject({ goesIn: ids.slice(0, 2), join: { stale: false }, mesh: { stale: true } })
    await updateTake(db, ids[2], { inSkin: true, inJoin: false })
    expect(await state()).toMatchObject({ join: { stale: true } })
    await updateTake(db, ids[2], { inJoin: true })
    expect(await state()).toMatchObject({ goesIn: ids, join: { stale: false }, mesh: { stale: false } })
  })
  test('hidden is not left out', async () => {
    const id = await taken('a', 100)
    await updateTake(db, id, { hidden: true })
    expect((await state()).goesIn).toEqual([id])
  })
  test('many change as one, or none does', async () => {
    const ids = [await taken('a', 100, 'upright'), await taken('b', 120, 'upright')]
    expect(await updateTakes(db, piece, ids, { hidden: true, inSkin: false })).toBe(true)
    expect((await state()).takes.map((t) => [t.hidden, t.inSkin])).toEqual([
      [true, false],
      [true, false],
    ])
    expect(await updateTakes(db, piece, [...ids, 99_999], { hidden: false })).toBe(false)
    expect((await state()).takes.every((t) => t.hidden)).toBe(true)
    await updateTake(db, ids[1], { locked: true })
    await expect(updateTakes(db, piece, ids, { binned: true })).rejects.toThrow('“b” is locked')
    expect((await state()).takes).toHaveLength(2)
  })
})

describe('the bin', () => {
  test('a take in it is none; another is the fixed one; going back passes it over; out again, all is as it was', async () => {
    const [a] = [await taken('a', 100), await taken('b', 120)]
    await matched(['a', 'b'])
    await updateTake(db, a, { binned: true })
    expect(await state()).toMatchObject({
      takes: [{ name: 'b', fixed: true }],
      bin: { takes: [{ id: a, name: 'a' }] },
      join: { stale: true },
    })
    await undo(db, piece)
    await undo(db, piece)
    expect((await state()).takes).toEqual([])
    expect((await state()).canUndo).toBe(false)
    await updateTake(db, a, { binned: false })
    expect((await state()).takes.map((t) => t.name)).toEqual(['a'])
  })
  test('a take at work, or locked, does not go in', async () => {
    const id = await taken('a', 100)
    await submitJob(db, piece, `take:${id}`, 'Tidying', {
      kind: 'operation',
      operation: 'tidy.thin',
      params: {},
      inputs: {},
    })
    await expect(updateTake(db, id, { binned: true })).rejects.toThrow('Something is at work on “a”')
  })
  test('removed for good, a take frees what was kept for it alone, and its steps stay to be read', async () => {
    const [a] = [await taken('a', 4000), await taken('b', 120)]
    const hash = (await state()).takes[0].shape!.hash
    await matched(['b'])
    await expect(removeForGood(db, 'take', a)).rejects.toThrow('is not in the bin')
    await updateTake(db, a, { binned: true })
    expect(await bytesOf(db, 'take', a)).toBeGreaterThan(4000 * 24)
    expect(await removeForGood(db, 'take', a)).toBe(true)
    expect(await removeForGood(db, 'take', a)).toBe(false)
    const after = await state()
    expect([after.takes.map((t) => t.name), after.bin.takes]).toEqual([['b'], []])
    expect(after.steps.find((s) => s.outputs.take === hash)).toMatchObject({ gone: true })
    // The match that was made with it names it; that alone keeps nothing.
    expect((await pointedTo(db)).has(hash)).toBe(false)
    expect((await createTake(db, piece, 'a', '')).name).toBe('a')
  })
  test('what another take came from, too, stays', async () => {
    const [a, b] = [await taken('a', 400), await taken('b', 120)]
    const { hash } = await storeArtefact(db, sphere(90))
    for (const id of [a, b])
      await recordStep(db, piece, step(`take:${id}`, { operation: 'tidy.thin', inputs: { upload: hash } }))
    await updateTake(db, a, { binned: true })
    await removeForGood(db, 'take', a)
    expect((await pointedTo(db)).has(hash)).toBe(true)
  })
  test('what a result was made of is not removed under it; with the result gone, it is', async () => {
    const [a] = [await taken('a', 400), await taken('b', 120)]
    await matched(['a', 'b'])
    const skin = await skinned()
    await updateTake(db, a, { binned: true })
    await expect(removeForGood(db, 'take', a)).rejects.toThrow('“skin” was made from “a”')
    await updateResult(db, skin, { binned: true })
    await expect(removeForGood(db, 'take', a)).rejects.toThrow('“skin” was made from “a”')
    expect(await removeForGood(db, 'result', skin)).toBe(true)
    expect(await removeForGood(db, 'take', a)).toBe(true)
    expect((await state()).bin).toEqual({ takes: [], results: [] })
  })
})
