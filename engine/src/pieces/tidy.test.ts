import { describe, expect, test } from 'vitest'
import { captureTake, LAMP_TAKES, OIL_LAMP, quietContext, TABLETOP_DEVICE, type PointCloud } from '@holosoma/core'
import { computeJob } from '../jobs/compute'
import type { Database } from '../store/database'
import { claimJob, completeJob, listJobs, submitJob, type JobRequest } from '../jobs/jobs'
import { redo, undo } from '../ledger/history'
import { recordStep, type Track } from '../ledger/ledger'
import { createTake, duplicateTake, updateTake } from './takes'
import { pieceState, pieceVersions } from './state'
import { runRecipe } from '../jobs/recipe'
import { dropSelection, listSelections, nameSelection } from './selections'
import { storeArtefact } from '../blobs/shape-store'
import { onTestPiece } from '../testing/test-piece'

let db: Database
let piece: number
const cloud = captureTake(OIL_LAMP, LAMP_TAKES[0], TABLETOP_DEVICE, 3, quietContext(), {
  pitchMm: 1.4,
  spacingMm: 1,
}).cloud
onTestPiece({ name: 'Lamp', number: 'T3', benchPiece: 'lamp' }, (given) => {
  ;({ db, piece } = given)
})

const idle = { progress: () => undefined, cancelled: () => false }
/** A take whose points are already there. */
async function given(name: string, points: PointCloud = cloud): Promise<{ id: number; hash: string }> {
  const { hash } = await storeArtefact(db, points)
  const take = await createTake(db, piece, name, 'upright')
  await recordStep(db, piece, {
    track: `take:${take.id}`,
    operation: 'take.import',
    version: 1,
    params: {},
    inputs: {},
    outputs: { take: hash },
    figures: { points: points.positions.length / 3 },
    findings: [],
    description: 'came',
    who: 'test',
    durationMs: 1,
    work: null,
  })
  return { id: take.id, hash }
}
async function recipe(
  take: { id: number; hash: string },
  steps: { operation: string; params: Record<string, unknown> }[],
): Promise<void> {
  const request = { kind: 'recipe' as const, steps, take: take.hash }
  await submitJob(db, piece, `take:${take.id}`, 'test', request)
  const job = (await claimJob(db, 'test'))!
  const done = await runRecipe(db, request, idle)
  await completeJob(
    db,
    job,
    ...done.map((s) => ({ ...s, track: `take:${take.id}` as Track, durationMs: s.durationMs ?? 1 })),
  )
}
const shapeOf = async (id: number): Promise<string> =>
  (await pieceState(db, piece))!.takes.find((t) => t.id === id)!.shape!.hash

describe('a recipe', () => {
  const steps = [
    { operation: 'tidy.trimTable', params: {} },
    { operation: 'tidy.trimPlane', params: { normal: [0, 0, 1], offsetMm: 9 } },
    { operation: 'tidy.thin', params: { spacingMm: 2 } },
  ]
  test('writes a step for each act, undone one by one, each time to the very points that were there', async () => {
    const take = await given('upright')
    await recipe(take, steps)
    const state = (await pieceState(db, piece))!
    expect(state.steps.map((s) => s.operation)).toEqual([
      'take.import',
      'tidy.trimTable',
      'tidy.trimPlane',
      'tidy.thin',
    ])
    const hashes = state.steps.map((s) => s.outputs.take)
    expect(new Set(hashes).size).toBe(4)
    for (const back of hashes.slice(0, -1).reverse()) {
      await undo(db, piece)
      expect(await shapeOf(take.id)).toBe(back)
    }
    for (const on of hashes.slice(1)) {
      await redo(db, piece)
      expect(await shapeOf(take.id)).toBe(on)
    }
    expect((await listJobs(db, piece)).at(-1)!.state).toBe('done')
  })
  test('gives the same bytes on another take of the same points', async () => {
    const [a, b] = [await given('upright'), await given('again')]
    await recipe(a, steps)
    await recipe(b, steps)
    expect(await shapeOf(b.id)).toBe(await shapeOf(a.id))
  })
  test('an act that finds nothing leaves no step; one that does not fit is left out and told', async () => {
    const take = await given('upright')
    await recipe(take, [
      { operation: 'tidy.trimPlane', params: { normal: [0, 0, 1], offsetMm: -500 } },
      { operation: 'tidy.removeHolder', params: { by: 'height' } },
      { operation: 'tidy.trimTable', params: {} },
    ])
    const [, last, more] = (await pieceState(db, piece))!.steps
    expect(last.operation).toBe('tidy.trimTable')
    expect(more).toBeUndefined()
    expect(last.findings.map((f) => f.text)).toContain('Give the height of what holds the piece, more than 0 mm.')
  })
  test('in which nothing fits is refused with the reasons, and nothing is changed', async () => {
    const bare = await given('bare', { kind: 'cloud', positions: cloud.positions })
    await expect(
      runRecipe(
        db,
        {
          kind: 'recipe',
          take: bare.hash,
          steps: [
            { operation: 'tidy.removeDots', params: {} },
            { operation: 'tidy.removeMixed', params: {} },
          ],
        },
        idle,
      ),
    ).rejects.toThrow(/no colours.*from where its points were seen/)
    expect(await shapeOf(bare.id)).toBe(bare.hash)
  })
  test('is no job of one operation', async () => {
    const take = await given('upright')
    const request: JobRequest = { kind: 'recipe', steps, take: take.hash }
    await submitJob(db, piece, 'join', 'test', request)
    await expect(computeJob(db, (await claimJob(db, 'test'))!, idle)).rejects.toThrow('leaves several steps')
  })
})

describe('takes', () => {
  test('a take doubled has the same points and a life of its own', async () => {
    const take = await given('upright')
    const copy = (await duplicateTake(db, piece, take.id))!
    expect(copy.name).toBe('upright again')
    expect(await shapeOf(copy.id)).toBe(take.hash)
    await recipe({ id: copy.id, hash: take.hash }, [{ operation: 'tidy.thin', params: { spacingMm: 3 } }])
    expect(await shapeOf(take.id)).toBe(take.hash)
    expect(await shapeOf(copy.id)).not.toBe(take.hash)
    expect(await duplicateTake(db, piece, 99_999)).toBeNull()
  })
  test('the one of the empty bench stands apart, only one at a time, and can come back', async () => {
    const [a, b] = [await given('bench'), await given('other')]
    const before = (await pieceVersions(db, piece)).piece
    await updateTake(db, a.id, { bench: true })
    expect((await pieceVersions(db, piece)).piece).not.toBe(before)
    expect((await pieceState(db, piece))!).toMatchObject({ bench: { id: a.id }, takes: [{ id: b.id }] })
    await updateTake(db, b.id, { bench: true })
    expect((await pieceState(db, piece))!).toMatchObject({ bench: { id: b.id }, takes: [{ id: a.id }] })
    await updateTake(db, b.id, { bench: false, keepBase: true, pigment: 5 })
    expect((await pieceState(db, piece))!.takes.map((t) => [t.id, t.keepBase, t.pigment])).toEqual([
      [a.id, false, null],
      [b.id, true, 5],
    ])
  })
  test('a join stands while its takes are only tidied, and falls when one is taken anew', async () => {
    const [a, b] = [
      await given('upright'),
      await given('side', { ...cloud, positions: cloud.positions.map((v) => v + 0.5) }),
    ]
    const motions = await storeArtefact(db, {
      kind: 'motions',
      motions: {
        upright: Float64Array.of(1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1),
        side: Float64Array.of(1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1),
      },
    })
    await recordStep(db, piece, {
      track: 'join',
      operation: 'join.match',
      version: 1,
      params: { names: ['upright', 'side'] },
      inputs: { takes: [a.hash, b.hash] },
      outputs: { motions: motions.hash },
      figures: {},
      findings: [],
      description: 'joined',
      who: 'test',
      durationMs: 1,
      work: null,
    })
    expect((await pieceState(db, piece))!.join!.stale).toBe(false)
    await recipe(a, [{ operation: 'tidy.thin', params: { spacingMm: 2 } }])
    expect((await pieceState(db, piece))!.join!.stale).toBe(false)
    const { hash } = await storeArtefact(db, { ...cloud, positions: cloud.positions.map((v) => v + 1) })
    await recordStep(db, piece, {
      track: `take:${b.id}`,
      operation: 'take.import',
      version: 1,
      params: {},
      inputs: {},
      outputs: { take: hash },
      figures: {},
      findings: [],
      description: 'came anew',
      who: 'test',
      durationMs: 1,
      work: null,
    })
    expect((await pieceState(db, piece))!.join!.stale).toBe(true)
  })
})

test('a choice kept under a name is replaced by one of the same name, and can be forgotten', async () => {
  const take = await given('upright')
  const n = cloud.positions.length / 3
  const choose = async (first: number): Promise<string> => {
    const bits = new Uint8Array((n + 7) >> 3)
    bits[0] = first
    return (await storeArtefact(db, { kind: 'selection', count: n, bits })).hash
  }
  const before = (await pieceVersions(db, piece)).piece
  await nameSelection(db, piece, {
    takeId: take.id,
    name: 'spout',
    shapeHash: take.hash,
    selectionHash: await choose(1),
    chosen: 1,
  })
  expect((await pieceVersions(db, piece)).piece).not.toBe(before)
  const again = await choose(3)
  await nameSelection(db, piece, {
    takeId: take.id,
    name: 'spout',
    shapeHash: take.hash,
    selectionHash: again,
    chosen: 2,
  })
  const kept = await listSelections(db, piece)
  expect(kept).toMatchObject([{ name: 'spout', selectionHash: again, chosen: 2 }])
  expect((await pieceState(db, piece))!.selections).toEqual(kept)
  expect(await dropSelection(db, piece + 1, kept[0].id)).toBe(false)
  expect(await dropSelection(db, piece, kept[0].id)).toBe(true)
  expect(await listSelections(db, piece)).toEqual([])
})
