import { describe, expect, test } from 'vitest'
import { submitJob } from '../jobs/jobs'
import { listActs } from '../ledger/acts'
import { redo, undo } from '../ledger/history'
import { recordStep, type NewStep, type Track } from '../ledger/ledger'
import { storeArtefact } from '../blobs/shape-store'
import type { Database } from '../store/database'
import { step as plainStep } from '../testing/samples'
import { onTestPiece } from '../testing/test-piece'
import { createResult, deriveResult, resultsAtWork, resultTrack, updateResult } from './results'
import { pieceState, pieceVersions, type PieceState } from './state'

let db: Database
let piece: number
onTestPiece({ name: 'Lamp', number: '' }, (given) => {
  ;({ db, piece } = given)
})

const step = (track: Track, operation: string, mesh: string): NewStep =>
  plainStep(track, { operation, inputs: { takes: [] }, outputs: { mesh } })
/** A mesh of one triangle so many mm high. */
const mesh = async (height: number): Promise<string> =>
  (
    await storeArtefact(db, {
      kind: 'mesh',
      positions: Float32Array.of(0, 0, 0, 1, 0, 0, 0, height, 0),
      indices: Uint32Array.of(0, 1, 2),
    })
  ).hash
const state = async (): Promise<PieceState> => (await pieceState(db, piece))!
const made = async (name: string, height: number): Promise<number> => {
  const { id } = await createResult(db, piece, name)
  await recordStep(db, piece, step(resultTrack(id), 'skin.make', await mesh(height)))
  return id
}
const names = async (): Promise<string[]> => (await state()).results.map((r) => r.name)

describe('results of a piece', () => {
  test('the one made last is the skin; another is shown, and is it then; the page hears of each', async () => {
    const coarse = await made('skin', 1)
    const before = await pieceVersions(db, piece)
    const fine = await made('skin', 2)
    expect(await names()).toEqual(['skin', 'skin 2'])
    expect((await state()).mesh!.id).toBe(fine)
    await updateResult(db, coarse, { shown: true })
    expect((await state()).mesh!.id).toBe(coarse)
    const shown = await pieceVersions(db, piece)
    await updateResult(db, fine, { name: 'fine', note: 'for the shelf', purpose: 'display' })
    expect((await state()).results[1]).toMatchObject({ name: 'fine', note: 'for the shelf', purpose: 'display' })
    const named = await pieceVersions(db, piece)
    expect(new Set([before, shown, named].map((v) => v.piece)).size).toBe(3)
  })
  test('undone, a skin made beside another leaves that one as the skin; done again, it is back', async () => {
    const first = await made('skin', 1)
    const second = await made('skin', 2)
    await undo(db, piece)
    expect([await names(), (await state()).mesh!.id]).toEqual([['skin'], first])
    await redo(db, piece)
    expect([await names(), (await state()).mesh!.id]).toEqual([['skin', 'skin 2'], second])
  })
  test('one to which nothing came is begun again, not left behind; one with a job under way is another’s', async () => {
    const empty = await createResult(db, piece, 'skin')
    expect(await createResult(db, piece, 'anything')).toEqual(empty)
    expect(await resultsAtWork(db, piece)).toBe(false)
    await submitJob(db, piece, resultTrack(empty.id), 'Making the skin', {
      kind: 'operation',
      operation: 'skin.make',
      params: {},
      inputs: {},
    })
    expect(await resultsAtWork(db, piece)).toBe(true)
    expect((await createResult(db, piece, 'skin')).name).toBe('skin 2')
  })
  test('begun from another it has that one’s way behind it, and goes its own from there', async () => {
    const first = await made('skin', 1)
    const [from] = (await state()).results
    await deriveResult(db, piece, { id: first, name: 'skin', stepId: from.step.id, mesh: from.shape.hash }, 'print')
    const scaled = await mesh(5)
    const second = (await state()).mesh!
    expect([second.name, second.shape.hash, second.chain.map((s) => s.operation)]).toEqual([
      'print',
      from.shape.hash,
      ['skin.make', 'result.derive'],
    ])
    await recordStep(db, piece, step(resultTrack(second.id), 'size.scale', scaled))
    const now = await state()
    expect(now.results.map((r) => r.shape.hash)).toEqual([from.shape.hash, scaled])
    expect(now.activeSteps).toHaveLength(3)
    await undo(db, piece)
    await undo(db, piece)
    expect(await names()).toEqual(['skin'])
    await redo(db, piece)
    expect(await names()).toEqual(['skin', 'print'])
  })
  test('hidden it is kept, and the skin is another; the last that shows stays, and showing it makes it the skin', async () => {
    const first = await made('skin', 1)
    const second = await made('fine', 2)
    await updateResult(db, second, { hidden: true })
    const now = await state()
    expect(now.results.map((r) => [r.name, r.hidden])).toEqual([
      ['skin', false],
      ['fine', true],
    ])
    expect(now.mesh!.id).toBe(first)
    await expect(updateResult(db, first, { hidden: true })).rejects.toThrow('“skin” is the only skin that shows')
    await updateResult(db, second, { shown: true })
    const again = await state()
    expect([again.mesh!.id, again.mesh!.hidden]).toEqual([second, false])
    // Undone, the one that showed is gone: rather a hidden one than none.
    await updateResult(db, first, { hidden: true })
    await undo(db, piece)
    expect((await state()).mesh!.id).toBe(first)
  })
  test('in the bin it is no result, and the skin is another; out again it is as it was', async () => {
    const first = await made('skin', 1)
    const second = await made('fine', 2)
    await updateResult(db, second, { binned: true })
    const now = await state()
    expect([now.results.map((r) => r.name), now.bin.results, now.mesh!.id]).toEqual([
      ['skin'],
      [{ id: second, name: 'fine' }],
      first,
    ])
    // What leads to it stays written: its steps are not taken for undone.
    expect(now.activeSteps).toHaveLength(2)
    // Going back passes it over: what lies there is as it was when it comes out.
    await undo(db, piece)
    expect((await state()).results).toEqual([])
    expect([(await state()).canUndo, (await state()).canRedo]).toEqual([false, true])
    await redo(db, piece)
    await updateResult(db, second, { binned: false })
    expect((await state()).mesh!.id).toBe(second)
    expect((await listActs(db, piece)).filter((a) => a.kind === 'bin').map((a) => a.text)).toEqual([
      'Put “fine” into the bin',
      'Took “fine” out of the bin',
    ])
  })
  test('what makes no sense is refused in words: a name that is taken or none, the bin under a job', async () => {
    const first = await made('skin', 1)
    const second = await made('fine', 2)
    await expect(updateResult(db, second, { name: 'skin' })).rejects.toThrow('Another result is called “skin”')
    await expect(updateResult(db, second, { name: ' \u0007 ' })).rejects.toThrow('A result needs a name')
    await submitJob(db, piece, resultTrack(first), 'Closing holes', {
      kind: 'operation',
      operation: 'mend.closeHoles',
      params: {},
      inputs: {},
    })
    await expect(updateResult(db, first, { binned: true })).rejects.toThrow('Something is at work on “skin”')
    expect(await updateResult(db, 999_999, { shown: true })).toBe(false)
  })
})
