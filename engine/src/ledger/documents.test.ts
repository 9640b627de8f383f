import { describe, expect, test } from 'vitest'
import { nightTest } from '@holosoma/core/testing/night'
import { EMPTY_BRIEF } from '@holosoma/core/brief'
import { DEVICE_CLASSES, firstPlan } from '@holosoma/core/plan'
import type { Database } from '../store/database'
import { listDevices, removeDevice, saveDevices } from '../bench/devices'
import { writeAreas, writeBrief, writeParts, writePlan } from './documents'
import { redo, undo } from './history'
import { listSteps, secondsPerMillionPoints } from './ledger'
import { pieceState, pieceVersions } from '../pieces/state'
import { seedDemo } from '../demo/seed'
import { emptyTables } from '../testing/test-database'
import { onTestPiece } from '../testing/test-piece'

let db: Database
let piece: number
onTestPiece({ name: 'Tile', number: 'T1' }, (given) => {
  ;({ db, piece } = given)
})
const state = async () => (await pieceState(db, piece))!
/** As if the sitting had been long ago. */
const later = (): Promise<unknown> => db('steps').update({ created_at: db.raw('NOW(3) - INTERVAL 10 MINUTE') })

describe('briefs and plans', () => {
  test('a brief is kept, written on within a sitting, and a new version after it', async () => {
    expect((await state()).brief).toBeNull()
    const first = await writeBrief(db, piece, EMPTY_BRIEF)
    expect(await writeBrief(db, piece, { ...EMPTY_BRIEF, heightMm: 18 })).toEqual({
      stepId: first.stepId,
      revision: first.revision + 1,
    })
    expect((await state()).brief).toMatchObject({
      content: { heightMm: 18 },
      stepId: first.stepId,
      revision: 1,
      version: 1,
    })
    await later()
    const second = await writeBrief(db, piece, { ...EMPTY_BRIEF, heightMm: 20 })
    expect(second.stepId).not.toBe(first.stepId)
    expect((await state()).brief).toMatchObject({ content: { heightMm: 20 }, version: 2 })
    // Undo gives back what stood before the sitting, redo takes it again; nothing is overwritten.
    await undo(db, piece)
    expect((await state()).brief!.content.heightMm).toBe(18)
    await redo(db, piece)
    expect((await state()).brief!.content.heightMm).toBe(20)
    await undo(db, piece)
    await undo(db, piece)
    expect((await state()).brief).toBeNull()
    expect((await listSteps(db, piece)).map((s) => [s.operation, s.params])).toEqual([
      ['brief.write', {}],
      ['brief.write', {}],
    ])
  })
  test('after an undo, writing goes on in a version of its own', async () => {
    await writeBrief(db, piece, { ...EMPTY_BRIEF, heightMm: 10 })
    await later()
    await writeBrief(db, piece, { ...EMPTY_BRIEF, heightMm: 20 })
    await undo(db, piece)
    await writeBrief(db, piece, { ...EMPTY_BRIEF, heightMm: 30 })
    expect((await state()).brief!.content.heightMm).toBe(30)
    await undo(db, piece)
    expect((await state()).brief!.content.heightMm).toBe(10)
  })
  test('a plan carries what it came to; the same plan with another outlook is no new version, and pages hear of it', async () => {
    const plan = firstPlan()
    const outlook = { verdict: 'unsound', figure: '93 % seen, 1 slide', text: 'They can slide.' } as const
    const step = await writePlan(db, piece, plan, outlook)
    expect((await state()).plan).toMatchObject({ content: plan, outlook, version: 1 })
    await later()
    const before = (await pieceVersions(db, piece)).piece
    expect((await writePlan(db, piece, plan, { ...outlook, verdict: 'sound' })).stepId).toBe(step.stepId)
    expect((await state()).plan!.outlook!.verdict).toBe('sound')
    expect((await pieceVersions(db, piece)).piece).not.toBe(before)
    // Saved again without one, it keeps the one it has.
    await writePlan(db, piece, plan)
    expect((await state()).plan!.outlook!.verdict).toBe('sound')
  })
  test('areas on the piece: laid, painted in the same sitting, undone to where they were laid', async () => {
    const laid = {
      scale: 1,
      rows: [1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0],
      offMm: 0.4,
      off: 0.004,
      alsoAtDeg: [],
      anyAngle: false,
      strokes: [],
    }
    const first = await writeAreas(db, piece, laid)
    const stroke = { area: 'rim', at: [1, 2, 3], normal: [0, 0, 1], radiusMm: 4 }
    // At once, and each touch of the brush is a step of its own.
    const second = await writeAreas(db, piece, { ...laid, strokes: [stroke] }, first)
    await writeAreas(db, piece, { ...laid, strokes: [stroke, stroke] }, second)
    expect((await state()).areas!.content.strokes).toEqual([stroke, stroke])
    await undo(db, piece)
    expect((await state()).areas!.content.strokes).toEqual([stroke])
    expect((await listSteps(db, piece)).map((s) => s.description)).toEqual([
      'Laid the areas of the brief on the piece',
      'Painted areas on the piece, 1 stroke',
      'Painted areas on the piece, 2 strokes',
    ])
    await undo(db, piece)
    expect((await state()).areas!.content.strokes).toEqual([])
    await undo(db, piece)
    expect((await state()).areas).toBeNull()
    await expect(writeAreas(db, piece, { ...laid, scale: 0 })).rejects.toThrow('The areas cannot be kept')
  })
  test('parts kept by name are steps that can be undone; two of one name are refused', async () => {
    const rim = { name: 'rim', region: { kind: 'part', seeds: [[1, 2, 3]] }, scale: 1 }
    const first = await writeParts(db, piece, { parts: [rim] })
    await writeParts(db, piece, { parts: [rim, { ...rim, name: 'foot' }] }, first)
    expect((await state()).parts!.content.parts.map((p) => p.name)).toEqual(['rim', 'foot'])
    await undo(db, piece)
    expect((await state()).parts!.content.parts.map((p) => p.name)).toEqual(['rim'])
    expect((await listSteps(db, piece)).at(-1)!.description).toBe('Kept parts: “rim”, “foot”')
    await expect(writeParts(db, piece, { parts: [rim, rim] })).rejects.toThrow('two parts have one name')
    await expect(writeParts(db, piece, { parts: [{ ...rim, region: { kind: 'all' } }] })).rejects.toThrow(
      'The parts cannot be kept',
    )
    await expect(writeParts(db, piece, { parts: [rim] }, first)).resolves.toBeTruthy()
  })
  test('what is wrong is refused in a sentence and nothing is written', async () => {
    await expect(writeBrief(db, piece, { ...EMPTY_BRIEF, heightMm: 0 })).rejects.toThrow(
      'Height must be a positive number.',
    )
    await expect(writePlan(db, piece, { ...firstPlan(), takes: 'many' })).rejects.toThrow(/^The plan: /)
    expect(await listSteps(db, piece)).toEqual([])
  })
  test('pages that write at the same moment lose nothing', async () => {
    await Promise.all(Array.from({ length: 6 }, (_, i) => writeBrief(db, piece, { ...EMPTY_BRIEF, heightMm: 10 + i })))
    const { brief, steps } = await state()
    expect(brief!.content.heightMm).toBeGreaterThanOrEqual(10)
    expect(steps.length + brief!.revision).toBeGreaterThanOrEqual(6)
  })
})

describe('device profiles', () => {
  test('what ships is there; a changed one takes its place and can go back; one’s own stands after them', async () => {
    expect((await listDevices(db)).map((d) => d.origin)).toEqual(DEVICE_CLASSES.map(() => 'shipped'))
    const [saved] = await saveDevices(db, [{ ...DEVICE_CLASSES[1], windowMm: 150 }])
    expect(saved.version).toBe(2)
    await saveDevices(db, [
      { ...DEVICE_CLASSES[1], windowMm: 151 },
      { ...DEVICE_CLASSES[0], id: 'mine', name: 'Mine' },
    ])
    const list = await listDevices(db)
    expect(list[1]).toMatchObject({ origin: 'changed', profile: { windowMm: 151, version: 3 } })
    expect(list.at(-1)).toMatchObject({ origin: 'own', profile: { id: 'mine', version: 1 } })
    await removeDevice(db, DEVICE_CLASSES[1].id)
    await removeDevice(db, 'mine')
    expect((await listDevices(db)).map((d) => d.profile)).toEqual(DEVICE_CLASSES)
    await expect(removeDevice(db, 'mine')).rejects.toThrow('no such device profile')
    await expect(removeDevice(db, DEVICE_CLASSES[0].id)).rejects.toThrow('can’t be taken away')
  })
  test('one bad profile in a list and none of them is saved', async () => {
    await expect(
      saveDevices(db, [
        { ...DEVICE_CLASSES[0], id: 'good' },
        { ...DEVICE_CLASSES[0], id: 'bad', nearMm: 500 },
      ]),
    ).rejects.toThrow(/depth band/)
    expect(await listDevices(db)).toHaveLength(DEVICE_CLASSES.length)
  })
})

nightTest(
  'the demo: eight pieces, briefs that stand, once only; the machine’s speed is read off the worked example',
  async () => {
    await emptyTables(db)
    expect(await secondsPerMillionPoints(db)).toBeNull()
    expect(await seedDemo(db)).toBe(true)
    expect(await seedDemo(db)).toBe(false)
    const rows = (await db('pieces').orderBy('id').select('id', 'number')) as { id: number; number: string }[]
    expect(rows.map((r) => r.number)).toEqual([
      'HQ-014',
      'HQ-014 b',
      'HQ-022',
      'HQ-031',
      'HQ-007',
      'HQ-040',
      'HQ-R3',
      'HQ-022 b',
    ])
    const states = await Promise.all(rows.map((r) => pieceState(db, r.id)))
    expect(states.map((s) => s!.brief !== null)).toEqual([true, true, true, false, true, true, true, false])
    const { mesh, results } = states[7]!
    expect(results.map((r) => [r.name, r.step.figures.closed])).toEqual([
      ['mended', true],
      ['as it came', false],
    ])
    expect([mesh!.name, mesh!.step.figures.holes, mesh!.step.figures.components]).toEqual(['as it came', 3, 2])
    expect(states[0]!.plan!.content.standIn.kind).toBe('mesh')
    expect(await secondsPerMillionPoints(db)).toBeGreaterThan(1)
  },
  300_000,
)
