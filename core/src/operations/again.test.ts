import { describe, expect, test } from 'vitest'
import { nightTest } from '../testing/night'
import { OIL_LAMP } from '../bench/pieces'
import { polygonise } from '../bench/polygonise'
import { quietContext } from '../context'
import { rotationMotion, transformPoints } from '../linear/rigid'
import { movedPlace, sameSimilarity, type Similarity } from '../linear/similarity'
import { scaled } from '../measure/preset'
import { checkHealth } from '../mesh/health'
import type { TriangleMesh } from '../shapes'
import { actsAgain, againFindings, isRepeatable, type Act, type ActAgain } from './again'
import { operationNamed, runOperation, type HoleTold } from './index'

const context = quietContext(1)
/** The lamp's true surface, drawn at a spacing: another mesh of the same piece for each. */
const lamp = (spacingMm: number): TriangleMesh => polygonise(OIL_LAMP.field, OIL_LAMP.bounds, spacingMm, context)
const volume = (mesh: TriangleMesh): number => checkHealth(mesh, context).volumeMm3

/** Acts done by hand, one after the other, as their steps would record them. */
class Hand {
  readonly acts: Act[] = []
  constructor(public mesh: TriangleMesh) {}
  async does(operation: string, params: Record<string, unknown>): Promise<Act> {
    const op = operationNamed(operation)
    const result = await runOperation(
      op,
      { [operation === 'size.scale' ? 'shape' : 'mesh']: this.mesh },
      params,
      context,
    )
    this.mesh = (result.outputs.mesh ?? result.outputs.shape) as TriangleMesh
    const act: Act = {
      operation,
      params: result.params,
      details: result.details ?? null,
      figures: result.figures,
      description: op.describe(result.params, result.figures),
    }
    this.acts.push(act)
    return act
  }
  /** The rim of the largest hole there is. */
  get rim(): number[] {
    return [...((this.acts.at(-1)!.details as { holes: HoleTold[] }).holes[0]?.rim ?? [])]
  }
}
const again = async (mesh: TriangleMesh, acts: readonly Act[], map: Similarity = sameSimilarity(), within = 0.8) => {
  const out: ActAgain[] = []
  for await (const a of actsAgain(mesh, acts, map, within, context)) out.push(a)
  return out
}

/** What a person does to the lamp: cut the base, cut a spot out and fill it, bring it to size. */
async function mended(mesh: TriangleMesh): Promise<Hand> {
  const hand = new Hand(mesh)
  const low = mesh.positions.reduce((m, v, i) => (i % 3 === 2 ? Math.min(m, v) : m), Infinity)
  await hand.does('mend.cutPlane', { normal: [0, 0, 1], offsetMm: low + 2 })
  const [x, y, z] = topOf(mesh)
  await hand.does('mend.cutAway', { region: { kind: 'seeds', seeds: [[x, y, z]], reachMm: 5 } })
  await hand.does('mend.closeHole', { rim: hand.rim })
  const b = extremes(mesh)
  await hand.does('size.scale', { pairs: [{ from: b.min, to: b.max, readingMm: distance(b.min, b.max) * 1.02 }] })
  return hand
}
function topOf({ positions: p }: TriangleMesh): [number, number, number] {
  let best = 0
  for (let i = 0; i < p.length; i += 3) if (p[i + 2] > p[best + 2]) best = i
  return [p[best], p[best + 1], p[best + 2]]
}
/** The points farthest to the left and right. */
function extremes({ positions: p }: TriangleMesh): { min: number[]; max: number[] } {
  let low = 0,
    high = 0
  for (let i = 0; i < p.length; i += 3) {
    if (p[i] < p[low]) low = i
    if (p[i] > p[high]) high = i
  }
  return { min: Array.from(p.subarray(low, low + 3)), max: Array.from(p.subarray(high, high + 3)) }
}
const distance = (a: readonly number[], b: readonly number[]): number => Math.hypot(...a.map((v, c) => v - b[c]))

describe('acts done again', () => {
  const coarse = lamp(1.6),
    fine = lamp(0.8)
  nightTest('on a finer mesh they come to what doing them by hand there comes to, within 0.2 %', async () => {
    const first = await mended(coarse)
    const byHand = await mended(fine)
    const done = await again(fine, first.acts)
    expect(done.map((a) => [a.outcome, a.why])).toEqual(Array(4).fill(['done', '']))
    const mesh = done.at(-1)!.mesh
    expect(checkHealth(mesh, context)).toMatchObject({ closed: true, crossings: 0 })
    expect(Math.abs(volume(mesh) / volume(byHand.mesh) - 1)).toBeLessThan(0.002)
    const [a, b] = [extremes(mesh), extremes(byHand.mesh)]
    expect(Math.abs(distance(a.min, a.max) / distance(b.min, b.max) - 1)).toBeLessThan(0.002)
    expect(againFindings(done)).toMatchObject([{ id: 'again.done', verdict: 'sound', text: '4 acts were done again.' }])
  })
  test('on the same mesh they give the same bytes', async () => {
    const first = await mended(coarse)
    const done = await again(coarse, first.acts, sameSimilarity(), 0.01)
    expect(done.every((a) => a.outcome === 'done')).toBe(true)
    expect(done.at(-1)!.mesh.indices).toEqual(first.mesh.indices)
    expect(done.at(-1)!.mesh.positions).toEqual(first.mesh.positions)
  })
  test('they follow a mesh that lies elsewhere, and larger', async () => {
    const first = await mended(coarse)
    const map: Similarity = { scale: 1.5, motion: rotationMotion([1, 2, 3], 1.1, [40, -7, 12]) }
    const moved: TriangleMesh = {
      ...coarse,
      positions: Float32Array.from(
        Array.from({ length: coarse.positions.length / 3 }, (_, i) =>
          movedPlace(map, Array.from(coarse.positions.subarray(i * 3, i * 3 + 3))),
        ).flat(),
      ),
    }
    const done = await again(moved, first.acts, map)
    expect(done.map((a) => a.outcome)).toEqual(Array(4).fill('done'))
    // Brought to size by the same readings: as large as at first.
    expect(volume(done.at(-1)!.mesh) / volume(first.mesh)).toBeCloseTo(1, 3)
  })
  test('an act whose place is gone is told, changes nothing, and those after it are done all the same', async () => {
    const first = await mended(coarse)
    // The mesh of a piece whose top is missing: nothing there to cut out, and no hole to close.
    const [, , top] = topOf(fine)
    const low = fine.positions.reduce((m, v, i) => (i % 3 === 2 ? Math.min(m, v) : m), Infinity)
    const hand = new Hand(fine)
    await hand.does('mend.cutPlane', { normal: [0, 0, -1], offsetMm: -(low + (top - low) / 2) })
    const done = await again(hand.mesh, first.acts)
    expect(done.map((a) => a.outcome)).toEqual(['done', 'unfit', 'unfit', expect.any(String)])
    expect(done[1].mesh).toBe(done[0].mesh)
    expect(done[2].mesh).toBe(done[0].mesh)
    expect(done[1].why).toMatch(/^only \d+ % of what was cut out lies on the surface now$/)
    expect(againFindings(done).filter((f) => f.id === 'again.unfit')[0]).toMatchObject({
      verdict: 'doubtful',
      text: expect.stringContaining('does not fit any more, because only') as string,
    })
  })
  test('what a person leaves out is left out; a scale that is lost is never lost in silence', async () => {
    const first = await mended(coarse)
    const acts = first.acts.map((a) => ({ ...a, leave: a.operation === 'size.scale' }))
    const done = await again(fine, acts)
    expect(done.map((a) => a.outcome)).toEqual(['done', 'done', 'done', 'left'])
    expect(againFindings(done)[0]).toMatchObject({ id: 'again.scale', verdict: 'unsound' })
    const far = scaled(fine, 3)
    expect(againFindings(await again(far, first.acts))[0]).toMatchObject({
      id: 'again.scale',
      verdict: 'unsound',
      text: expect.stringContaining('The skin is not at true size') as string,
    })
  })
  test('after a scale that was not done again, later acts are looked for where they lie without it', async () => {
    const first = new Hand(coarse)
    const b = extremes(coarse)
    await first.does('size.scale', { pairs: [{ from: b.min, to: b.max, readingMm: distance(b.min, b.max) * 2 }] })
    await first.does('mend.cutAway', { region: { kind: 'seeds', seeds: [topOf(first.mesh)], reachMm: 10 } })
    const [scale, cutOut] = await again(fine, [{ ...first.acts[0], leave: true }, first.acts[1]])
    expect([scale.outcome, cutOut.outcome]).toEqual(['left', 'done'])
    expect(Number(cutOut.result!.figures.cutMm2) / (Number(first.acts[1].figures.cutMm2) / 4)).toBeCloseTo(1, 1)
  })
  test('regions of every kind keep their place when the mesh is moved', async () => {
    const map: Similarity = { scale: 2, motion: rotationMotion([0, 1, 1], 0.7, [5, 6, 7]) }
    const moved: TriangleMesh = {
      ...coarse,
      positions: transformPoints(
        map.motion,
        coarse.positions.map((v) => v * 2),
      ),
    }
    const top = topOf(coarse)
    const eye = [1 / 60, 0, 0, 0, 0, 0, 1 / 60, 0, 0, 1 / 60, 0, 0, 0, 0, 0, 1]
    const regions = [
      { kind: 'brush', path: [top, [top[0] + 4, top[1], top[2]]], radiusMm: 4, side: [0, 0, 1] },
      { kind: 'near', places: [...top, top[0] + 4, top[1], top[2]], reachMm: 4 },
      { kind: 'planes', planes: [[0, 0, 1, top[2] - 6]] },
      {
        kind: 'lasso',
        polygon: [380, 200, 420, 200, 420, 320, 380, 320],
        matrix: eye,
        width: 800,
        height: 600,
        front: [0, 1, 0],
      },
    ]
    for (const region of regions) {
      const first = new Hand(coarse)
      const act = await first.does('mend.cutAway', { region })
      const [done] = await again(moved, [act], map)
      expect([region.kind, done.outcome, done.why]).toEqual([region.kind, 'done', ''])
      expect(Number(done.result!.figures.cutMm2) / (4 * Number(act.figures.cutMm2))).toBeCloseTo(1, 1)
    }
  })
  test('checks are no acts; what is no operation is none either', () => {
    expect(['mend.cutPlane', 'mend.closeHoles', 'size.scale'].every(isRepeatable)).toBe(true)
    expect(['mend.health', 'result.derive', 'skin.make'].some(isRepeatable)).toBe(false)
  })
})
