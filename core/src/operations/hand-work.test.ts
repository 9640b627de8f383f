import { describe, expect, test } from 'vitest'
import { quietContext } from '../context'
import { sameSimilarity } from '../linear/similarity'
import { gatherPoints } from '../fuse/points'
import { identityMotion, rotationMotion } from '../linear/rigid'
import { cloudOfMesh } from '../mesh/normals'
import { RawSurface } from '../sculpt/raw-surface'
import { Sculpture } from '../sculpt/sculpture'
import { EVIDENCE, type Bounds, type TriangleMesh } from '../shapes'
import { ballMesh, inFour } from '../testing/altered'
import { cube } from '../testing/solids'
import { actsAgain, brushSkin, checkParams, runOperation, spliceSkin, workPart } from './index'

const context = () => quietContext()
const RADIUS = 20
const ball: TriangleMesh = {
  ...ballMesh(RADIUS, 5),
  evidence: new Uint8Array(ballMesh(RADIUS, 5).positions.length / 3),
}
/** A ball with a bump of so much at its top. */
const bumped: TriangleMesh = {
  ...ball,
  positions: ball.positions.map((v, i, p) => {
    const k = i - (i % 3)
    const aside = Math.hypot(p[k], p[k + 1])
    return p[k + 2] > 0 && aside < 3 ? v * (1 + 0.03 * (1 - (aside / 3) ** 2) ** 2) : v
  }),
}
const take = cloudOfMesh(bumped)
const flat = {
  brush: 'flatten',
  radiusMm: 6,
  strength: 1,
  dabs: Array.from({ length: 12 }, () => [0, 0, RADIUS, 1]).flat(),
} as const
const highest = ({ positions: p }: TriangleMesh): number => {
  let most = 0
  for (let v = 0; v < p.length; v += 3) most = Math.max(most, Math.hypot(p[v], p[v + 1], p[v + 2]))
  return most - RADIUS
}
const meshOf = (r: { outputs: Readonly<Record<string, unknown>> }): TriangleMesh => r.outputs.mesh as TriangleMesh

describe('brushes as an act', () => {
  test('with takes the cap is held against their points, without against the surface; both say which', async () => {
    const params = { strokes: [flat], capMm: 0.1, names: ['a'] }
    const held = await runOperation(brushSkin, { mesh: bumped, takes: [take] }, params, context())
    expect(held.figures).toMatchObject({ withTakes: true, forced: false, capMm: 0.1, closed: true, crossings: 0 })
    expect(Number(held.figures.fromRawMm)).toBeLessThanOrEqual(0.1005)
    expect(Number(held.figures.heldBack)).toBeGreaterThan(10)
    expect(held.findings.find((f) => f.id === 'mend.held')!.text).toMatch(/points back: from the takes/)
    expect(meshOf(held).evidence!.includes(EVIDENCE.carried)).toBe(true)
    const alone = await runOperation(brushSkin, { mesh: bumped }, params, context())
    expect(alone.figures.withTakes).toBe(false)
    expect(alone.findings.find((f) => f.id === 'mend.held')!.text).toContain('no takes were looked at')
    expect(Number(alone.figures.mostMm)).toBeLessThanOrEqual(0.1001)
  })
  test('a coarse take elsewhere changes nothing here: the page, which holds all takes, comes to the same places', () => {
    // It lies off the surface by more than its own points are told of, and by less than the coarse take's.
    const off = { ...take, positions: ball.positions.map((v) => v * (1 + 1.5 / RADIUS)) }
    const far = { ...take, positions: take.positions.map((v, i) => (i % 3 === 0 ? 3 * v + 500 : 3 * v)) }
    const points = gatherPoints([off, far].map((cloud) => ({ cloud, motion: identityMotion() })))
    const near = { min: [-15, -15, 5], max: [15, 15, 35] } as const
    const [all, part] = [null, { min: [...near.min], max: [...near.max] }].map((box) => {
      const work = new Sculpture(bumped, { capMm: 0.1, raw: new RawSurface(points, box as Bounds | null) })
      work.draw({ ...flat, side: null, onto: 'plane' })
      return work.result().positions
    })
    expect(part).toEqual(all)
  })
  test('the brief’s tolerance is the cap; only a reason leaves it aside, and then it is doubtful', async () => {
    const params = { strokes: [flat], capMm: 3, toleranceMm: 0.08, names: ['a'] }
    const held = await runOperation(brushSkin, { mesh: bumped, takes: [take] }, params, context())
    expect(held.figures.capMm).toBe(0.08)
    expect(held.findings.map((f) => f.id)).toContain('mend.cap')
    const forced = { ...params, reason: 'a bubble of putty' }
    const result = await runOperation(brushSkin, { mesh: bumped, takes: [take] }, forced, context())
    expect(result.findings.find((f) => f.id === 'mend.forced')).toMatchObject({ verdict: 'doubtful' })
    expect(result.findings.find((f) => f.id === 'mend.forced')!.text).toContain('a bubble of putty')
    expect(Number(result.figures.fromRawMm)).toBeGreaterThan(0.3)
    expect(highest(meshOf(result))).toBeLessThan(0.6 * highest(bumped))
    expect(brushSkin.describe(result.params, result.figures)).toMatch(/^By hand: flattened, 1 stroke; .*putty$/)
  })
  test.each([
    ['a cap of 0', { strokes: [flat], capMm: 0 }, 'A cap of 0 mm lets nothing move.'],
    ['a brush beside the piece', { strokes: [{ ...flat, dabs: [90, 0, 0, 1] }], capMm: 1 }, 'met no surface'],
    ['nothing to pull to', { strokes: [{ ...flat, brush: 'pull' }], capMm: 1 }, 'no takes to pull the surface to'],
    ['half a dab', { strokes: [{ ...flat, dabs: [0, 0, RADIUS, 1, 3] }], capMm: 1 }, 'dabs at most'],
    ['no reason in the reason', { strokes: [flat], capMm: 1, reason: ' ' }, 'eason'],
  ])('refused in a sentence: %s', async (_, params, why) => {
    await expect(
      Promise.resolve().then(() => runOperation(brushSkin, { mesh: ball }, params, context())),
    ).rejects.toThrow(why)
  })
  test('a brush larger than the piece works on what faces it', async () => {
    const wide = { ...flat, brush: 'smooth', radiusMm: 500, side: [0, 0, 1], dabs: [0, 0, RADIUS, 1] }
    const { figures } = await runOperation(brushSkin, { mesh: bumped }, { strokes: [wide], capMm: 1 }, context())
    expect(Number(figures.moved)).toBeGreaterThan(2000)
    expect(figures).toMatchObject({ closed: true, crossings: 0 })
  })
  test('done again on another mesh of the piece, turned, and not where the piece has no such place', async () => {
    const params = { strokes: [flat], capMm: 0.3 }
    const first = await runOperation(brushSkin, { mesh: bumped }, params, context())
    const act = {
      operation: 'mend.brush',
      params: first.params as unknown as Record<string, unknown>,
      details: first.details,
      figures: first.figures,
      description: 'By hand',
    }
    const motion = rotationMotion([1, 0, 0], Math.PI / 2)
    const turned: TriangleMesh = {
      ...bumped,
      positions: bumped.positions.map((_, i, p) => {
        const k = i - (i % 3)
        return i % 3 === 0 ? p[k] : i % 3 === 1 ? -p[k + 2] : p[k + 1]
      }),
    }
    for await (const done of actsAgain(turned, [act], { scale: 1, motion }, 0.8, context())) {
      expect([done.outcome, done.why]).toEqual(['done', ''])
      expect(highest(done.mesh)).toBeCloseTo(highest(meshOf(first)), 3)
    }
    for await (const done of actsAgain(cube(4), [act], sameSimilarity(), 0.5, context()))
      expect(done.outcome).toBe('unfit')
  })
})

describe('a part worked on at once', () => {
  const box: TriangleMesh = inFour({ ...cube(), positions: cube().positions.map((v) => v * 20) }, 4)
  const top = Math.max(...box.positions)
  const rough: TriangleMesh = {
    ...box,
    positions: box.positions.map((v, i) => (i % 3 === 2 && v === top ? v + 0.05 * Math.sin(7 * i) : v)),
  }
  const patch = { kind: 'patch', seeds: [[top / 2, top / 2, top]], angleDeg: 30 }
  test('a rough face is laid flat, as far as its patch goes, and no farther', async () => {
    const { outputs, figures } = await runOperation(
      workPart,
      { mesh: rough },
      { region: patch, way: 'plane', capMm: 0.2 },
      context(),
    )
    const { positions: p } = outputs.mesh as TriangleMesh
    for (let v = 0; v < p.length; v += 3)
      if (rough.positions[v + 2] > top - 0.2) expect(Math.abs(p[v + 2] - top)).toBeLessThan(0.006)
    expect(Number(figures.partMm2)).toBeGreaterThan(380)
    expect(Number(figures.partMm2)).toBeLessThan(480)
  })
  test('smoothed, it is less rough; the cap holds', async () => {
    const { figures } = await runOperation(
      workPart,
      { mesh: rough },
      { region: { ...patch, grownMm: -2 }, way: 'smooth', capMm: 0.03 },
      context(),
    )
    expect(Number(figures.mostMm)).toBeLessThanOrEqual(0.0301)
    expect(Number(figures.heldBack)).toBeGreaterThan(10)
    expect(Number(figures.partMm2)).toBeLessThan(330)
  })
  test('nothing there, nothing done', async () => {
    const planes = { kind: 'planes', planes: [[0, 0, 1, 500]] }
    await expect(
      Promise.resolve().then(() =>
        runOperation(workPart, { mesh: box }, { region: planes, way: 'plane', capMm: 1 }, context()),
      ),
    ).rejects.toThrow('Nothing of the surface lies there')
  })
})

test('a splice tells the step before and after, and by what it was spliced', async () => {
  const larger: TriangleMesh = { ...ball, positions: ball.positions.map((v) => v * 1.01) }
  const { figures, findings, params } = await runOperation(
    spliceSkin,
    { mesh: larger, other: ball },
    { normal: [0, 0, 2], offsetMm: 0.7, bandMm: 5, of: 'skin 2' },
    context(),
  )
  expect(figures).toMatchObject({ closed: true, crossings: 0, rims: 1 })
  expect(findings.map((f) => [f.id, f.verdict])).toEqual([
    ['mend.health', 'sound'],
    ['mend.splice', 'sound'],
  ])
  expect(spliceSkin.describe(params, figures)).toMatch(/^Spliced with “skin 2” along a plane, in a band of 5\.00 mm/)
  const same = await runOperation(
    spliceSkin,
    { mesh: ball, other: ball },
    { normal: [0, 0, 1], offsetMm: 0.7, bandMm: 5 },
    context(),
  )
  expect(same.figures.stepBeforeMm).toBeLessThan(1e-6)
  expect(same.findings.find((f) => f.id === 'mend.splice')!.verdict).toBe('sound')
  expect(() => checkParams(spliceSkin, { normal: [0, 0], offsetMm: 0, bandMm: 1 })).toThrow('Direction of the plane')
})
