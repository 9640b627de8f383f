import { describe, expect, test } from 'vitest'
import type { Database } from '../store/database'
import { historyState, redo, undo } from './history'
import { listHeads, listSteps, recordStep, secondsPerUnit } from './ledger'
import { createPiece } from '../pieces/pieces'
import { onTestDatabase } from '../testing/test-piece'
import { step } from '../testing/samples'

let db: Database
onTestDatabase((given) => void (db = given))

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
    const full = step('result:1', {
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
