import { describe, expect, test } from 'vitest'
import { quietContext, type PointCloud } from '@holosoma/core'
import { storeArtefact } from '../blobs/shape-store'
import { recordStep } from '../ledger/ledger'
import { createResult, resultTrack } from '../pieces/results'
import { pieceState } from '../pieces/state'
import { createTake } from '../pieces/takes'
import type { Database } from '../store/database'
import { sphere, step } from '../testing/samples'
import { onTestPiece } from '../testing/test-piece'
import { runAgain } from './again'
import type { JobRequest } from './jobs'
import { runRoad } from './road'

let db: Database
let piece: number
onTestPiece({ name: 'Ball', number: '' }, (given) => {
  ;({ db, piece } = given)
})
const host = {
  progress: quietContext(1).progress,
  cancelled: () => false,
  endEarly: () => false,
  parallel: quietContext(1).parallel,
}
type Road = Extract<JobRequest, { kind: 'road' }>

/** A ball, with a crumb that hangs apart from it. */
function ball(): PointCloud {
  const { positions, normals } = sphere(12_000, 20)
  const crumb = Float32Array.of(60, 0, 0, 60.5, 0, 0, 60, 0.5, 0)
  const up = Float32Array.of(0, 0, 1, 0, 0, 1, 0, 0, 1)
  return {
    kind: 'cloud',
    positions: Float32Array.of(...positions, ...crumb),
    normals: Float32Array.of(...normals!, ...up),
  }
}
async function given(tidy: Road['takes'][number]['tidy']): Promise<Road> {
  const { id, name } = await createTake(db, piece, 'ball', '')
  const { hash } = await storeArtefact(db, ball())
  await recordStep(db, piece, step(`take:${id}`, { operation: 'take.import', outputs: { take: hash } }))
  return {
    kind: 'road',
    takes: [{ id, name, hash, tidy }],
    join: null,
    skin: { spacingMm: 1.5, closed: true },
    result: resultTrack((await createResult(db, piece, 'skin')).id),
  }
}
const written = async (request: Road): Promise<string[]> => {
  const drafts = await runRoad(db, request, host)
  for (const d of drafts) await recordStep(db, piece, { ...d, track: d.track!, who: 'test', durationMs: 1 })
  return drafts.map((d) => `${d.track!.replace(/\d+/, 'n')} ${d.operation}`)
}

describe('the whole road', () => {
  test('each step stands where a hand would have left it, on what the one before gave', async () => {
    const road = await given([{ operation: 'tidy.removeStrays', params: {} }])
    expect(await written(road)).toEqual(['take:n tidy.removeStrays', 'result:n skin.make', 'result:n mend.health'])
    const state = (await pieceState(db, piece))!
    expect(state.takes[0].shape!.points).toBe(12_000)
    const [skin, health] = state.mesh!.chain
    expect(skin.inputs).toMatchObject({ takes: [state.takes[0].shape!.hash], of: [String(road.takes[0].id)] })
    expect([health.inputs.mesh, health.figures.closed]).toEqual([skin.outputs.mesh, true])
    expect(state.mesh!.stale).toBe(false)
  })
  test('it stops at the first step that is not sound, with that step done', async () => {
    const road = await given([])
    // So fine a skin asks more than the points hold, and says so.
    const drafts = await runRoad(db, { ...road, skin: { spacingMm: 0.25, closed: true } }, host)
    expect(drafts.map((d) => d.operation)).toEqual(['skin.make'])
    expect(drafts[0].findings.map((f) => f.id)).toContain('skin.finerThanPoints')
  })
  test('an act that does not fit the take is told, and the others go on', async () => {
    const road = await given([
      { operation: 'tidy.removeStrays', params: {} },
      { operation: 'tidy.trimPlane', params: { normal: [0, 0, 1], offsetMm: 999 } },
    ])
    await written(road)
    const tidied = (await pieceState(db, piece))!.steps.find((s) => s.operation === 'tidy.removeStrays')!
    expect(tidied.findings.find((f) => f.id === 'tidy.unfit')?.verdict).toBe('doubtful')
  })
})

describe('acts done again on a later skin', () => {
  test('wait for it, are done on it a step each, and what came of them is told', async () => {
    const road = await given([])
    await written({ ...road, skin: { spacingMm: 2, closed: true } })
    const first = (await pieceState(db, piece))!.mesh!
    const track = resultTrack(first.id)
    const { runStored } = await import('./compute')
    const act = async (operation: string, params: Record<string, unknown>, input = 'mesh'): Promise<void> => {
      const mesh = (await pieceState(db, piece))!.mesh!.shape.hash
      const draft = await runStored(
        db,
        {
          kind: 'operation',
          operation,
          params,
          inputs: { [input]: mesh },
          ...(input === 'shape' && { output: 'mesh' }),
        },
        quietContext(1),
      )
      await recordStep(db, piece, { ...draft, track, who: 'test', durationMs: 1 })
    }
    await act('mend.cutPlane', { normal: [0, 0, 1], offsetMm: -15 })
    await act('size.scale', { pairs: [{ from: [-20, 0, 0], to: [20, 0, 0], readingMm: 41 }] }, 'shape')
    expect((await pieceState(db, piece))!.mesh!.later).toBeNull()
    const takes = [(await pieceState(db, piece))!.takes[0].shape!.hash]
    const again = await runStored(
      db,
      {
        kind: 'operation',
        operation: 'skin.make',
        params: { names: ['ball'], spacingMm: 1 },
        inputs: { takes, of: [String(road.takes[0].id)] },
      },
      quietContext(1),
    )
    await recordStep(db, piece, { ...again, track, who: 'test', durationMs: 1 })
    const waiting = (await pieceState(db, piece))!.mesh!
    expect(waiting.later!.acts.map((a) => a.description)).toEqual([
      expect.stringContaining('Cut along a plane'),
      expect.stringContaining('Scaled by 1.0'),
    ])
    const drafts = await runAgain(
      db,
      {
        kind: 'again',
        mesh: waiting.shape.hash,
        from: waiting.later!.from,
        to: waiting.chain[0].id,
        acts: waiting.later!.acts.map(({ step: s }) => ({ step: s, leave: false })),
        withinMm: 2,
      },
      host,
    )
    expect(drafts.map((d) => d.operation)).toEqual(['mend.cutPlane', 'size.scale', 'result.again'])
    for (const d of drafts) await recordStep(db, piece, { ...d, track, who: 'test', durationMs: 1 })
    const done = (await pieceState(db, piece))!.mesh!
    expect([done.later, done.chain.map((s) => s.operation)]).toEqual([
      null,
      ['skin.make', 'mend.cutPlane', 'size.scale', 'result.again'],
    ])
    expect(done.step.figures).toMatchObject({ done: 2, unfit: 0, left: 0 })
    // A ball of 20 mm cut 15 mm under its middle, at 41 mm for 40: the heights of cap and ball say so.
    const { min, max } = done.shape.bounds!
    expect(max[2]).toBeCloseTo(20.5, 0)
    expect(min[2]).toBeCloseTo(-15.4, 0)
  })
})
