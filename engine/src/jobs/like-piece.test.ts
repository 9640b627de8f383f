import { describe, expect, test } from 'vitest'
import { quietContext, rotationMotion, transformPoints, type TriangleMesh } from '@holosoma/core'
import { nightTest } from '@holosoma/core/testing/night'
import { OIL_LAMP, polygonise } from '@holosoma/core/bench'
import { storeArtefact } from '../blobs/shape-store'
import { recordStep, type StepRecord } from '../ledger/ledger'
import { createPiece } from '../pieces/pieces'
import { createResult, resultTrack } from '../pieces/results'
import { pieceState } from '../pieces/state'
import type { Database } from '../store/database'
import { onTestPiece } from '../testing/test-piece'
import { runAgain } from './again'
import { runStored } from './compute'

let db: Database
let piece: number
onTestPiece({ name: 'Lamp', number: '' }, (given) => {
  ;({ db, piece } = given)
})
const context = quietContext(1)
const host = {
  progress: context.progress,
  cancelled: () => false,
  endEarly: () => false,
  parallel: context.parallel,
}
const lamp = (spacingMm: number): TriangleMesh => polygonise(OIL_LAMP.field, OIL_LAMP.bounds, spacingMm, context)
const TURN = rotationMotion([2, 1, 3], 2, [80, -20, 15])

/** A mesh that came into a piece, and acts on it. */
async function given(
  of: number,
  mesh: TriangleMesh,
  acts: readonly { operation: string; params: Record<string, unknown> }[],
): Promise<readonly StepRecord[]> {
  const track = resultTrack((await createResult(db, of, 'skin')).id)
  let { hash } = await storeArtefact(db, mesh)
  const input = (operation: string): string => (operation === 'size.scale' ? 'shape' : 'mesh')
  const first = { operation: 'skin.adopt', params: {} }
  for (const { operation, params } of [first, ...acts]) {
    const job = { kind: 'operation' as const, operation, params, inputs: { [input(operation)]: hash } }
    const draft = await runStored(
      db,
      { ...job, ...(operation === 'size.scale' && { output: 'mesh' as const }) },
      quietContext(1),
    )
    await recordStep(db, of, { ...draft, track, who: 'test', durationMs: 1 })
    hash = draft.outputs.mesh ?? hash
  }
  return (await pieceState(db, of))!.mesh!.chain
}
const done = async (
  there: readonly StepRecord[],
  here: readonly StepRecord[],
  leave: (s: StepRecord) => boolean = () => false,
) =>
  runAgain(
    db,
    {
      kind: 'again',
      mesh: here.at(-1)!.outputs.mesh,
      from: there[0].id,
      to: here[0].id,
      acts: there.slice(1).map((s) => ({ step: s.id, leave: leave(s) })),
      withinMm: 1.6,
      like: { mesh: there[0].outputs.mesh, scale: 1 },
    },
    host,
  )

describe('acts of another piece', () => {
  const acts = [
    { operation: 'mend.cutPlane', params: { normal: [0, 0, 1], offsetMm: 4 } },
    { operation: 'mend.simplify', params: { faces: 4000 } },
  ]
  test('are done where they lie on this one, which lies elsewhere and has other triangles', async () => {
    const there = await given(piece, lamp(1.6), acts)
    const fine = lamp(1.3)
    const other = await createPiece(db, { name: 'Next lamp', number: '' })
    const here = await given(other, { ...fine, positions: transformPoints(TURN, fine.positions) }, [])
    const drafts = await done(there, here)
    expect(drafts.map((d) => d.operation)).toEqual(['mend.cutPlane', 'mend.simplify', 'result.again'])
    const told = drafts.at(-1)!
    expect(told.findings).toMatchObject([
      { id: 'again.like', verdict: 'sound' },
      { id: 'again.done', verdict: 'sound' },
    ])
    expect(told.description).toBe('Did 2 of 2 acts of another piece here, too')
    // The plane came along: its normal is turned, and it cuts as much off.
    const { normal } = drafts[0].params as { normal: number[] }
    const turned = [TURN[2], TURN[6], TURN[10]]
    normal.forEach((v, c) => expect(v).toBeCloseTo(turned[c], 2))
    const volumes = [there[1].figures.volumeMm3, drafts[0].figures.volumeMm3].map(Number)
    expect(Math.abs(volumes[1] / volumes[0] - 1)).toBeLessThan(0.01)
  })
  nightTest(
    'that have a place are left where the shapes do not say how one lies to the other; others are done',
    async () => {
      const there = await given(piece, lamp(1.6), acts)
      const other = await createPiece(db, { name: 'Ball', number: '' })
      const ball = polygonise(
        (x, y, z) => Math.hypot(x, y, z) - 20,
        { min: [-22, -22, -22], max: [22, 22, 22] },
        1.2,
        context,
      )
      const drafts = await done(there, await given(other, ball, []))
      expect(drafts.map((d) => d.operation)).toEqual(['mend.simplify', 'result.again'])
      expect(drafts.at(-1)!.findings).toMatchObject([
        { id: 'again.like', verdict: 'doubtful' },
        { id: 'again.unfit', verdict: 'doubtful' },
        { id: 'again.done' },
      ])
    },
  )
})
