import { describe, expect, test } from 'vitest'
import { captureTake, LAMP_TAKES, TABLETOP_DEVICE } from '../bench/capture'
import { DEMO_PIECES, OIL_LAMP } from '../bench/pieces'
import { ALL_FAULTS } from '../bench/settings'
import { mergeClouds } from '../cloud/merge'
import { quietContext } from '../context'
import { identityMotion, invertRigid, rotationMotion, shiftMotion, transformPoints, type Motion } from '../linear/rigid'
import { NEW_TAKE, type PlannedTake } from '../plan/takes'
import type { PointCloud } from '../shapes'
import { goOn, matchTakeFrames, runOperation } from './index'

const context = () => quietContext()
const coarse = { pitchMm: 1.2, spacingMm: 0.7 }
/** Share of the points over the table that lie within `mm` of the true surface. */
function near(cloud: PointCloud, truth: Motion, mm: number): number {
  const p = transformPoints(invertRigid(truth), cloud.positions)
  let all = 0,
    good = 0
  for (let i = 0; i < p.length; i += 3) {
    if (cloud.positions[i + 2] < 1) continue
    all++
    if (Math.abs(OIL_LAMP.field(p[i], p[i + 1], p[i + 2])) < mm) good++
  }
  expect(all).toBeGreaterThan(5000)
  return good / all
}

describe('going on in the same scan', () => {
  test('two exposures of one set-up: the surest point of each place stays, none is invented', async () => {
    const jug = DEMO_PIECES.jug
    const at = (light: number): PointCloud =>
      captureTake(jug, { ...NEW_TAKE, steps: 6 }, TABLETOP_DEVICE, 4, context(), {
        faults: ALL_FAULTS,
        spacingMm: 1.2,
        light,
      }).cloud
    const dim = at(0.5),
      bright = at(8)
    const { outputs, figures, findings } = await runOperation(
      goOn,
      { takes: [dim, bright] },
      { names: ['dim', 'bright'], planned: [null, null], sameSetup: true },
      context(),
    )
    const both = outputs.take as PointCloud
    expect(findings[0].text).toBe('“bright” and “dim” are one take; where both saw the same, the surer point stayed.')
    expect(figures.points).toBe(both.positions.length / 3)
    expect(both.positions.length).toBeGreaterThan(1.1 * Math.max(dim.positions.length, bright.positions.length))
    const given = new Set<string>()
    for (const c of [dim, bright])
      for (let i = 0; i < c.positions.length; i += 3) given.add(c.positions.slice(i, i + 3).join())
    for (let i = 0; i < both.positions.length; i += 3)
      expect(given.has(both.positions.slice(i, i + 3).join())).toBe(true)
    const mean = (c: PointCloud): number => c.confidence!.reduce((s, v) => s + v, 0) / c.confidence!.length
    expect(mean(both)).toBeGreaterThan(mean(dim))
    expect(both.frameOrigins!.length).toBe(dim.frameOrigins!.length + bright.frameOrigins!.length)
  })
  test('after the piece was turned the frames find their place on what is known', async () => {
    const [up, side] = LAMP_TAKES.map((plan, i) =>
      captureTake(OIL_LAMP, plan, TABLETOP_DEVICE, 20 + i, context(), coarse),
    )
    const { outputs, findings, figures } = await runOperation(
      goOn,
      { takes: [up.cloud, side.cloud] },
      { names: ['upright', 'side'], planned: [...LAMP_TAKES], sameSetup: false },
      context(),
    )
    expect(Number(figures.known)).toBeGreaterThan(0.3)
    expect(findings[0].text).toMatch(/^“upright” goes on with “side”: \d+ % of what it saw was known/)
    expect(near(outputs.take as PointCloud, up.truth, 0.3)).toBeGreaterThan(0.97)
  })
  test('too little known in view is refused, and so are takes far apart', async () => {
    const at = (sweepDeg: number, headingDeg: number): { cloud: PointCloud; plan: PlannedTake } => {
      const plan = { ...NEW_TAKE, steps: 1, sweepDeg, headingDeg, elevationDeg: 5 }
      return { plan, cloud: captureTake(DEMO_PIECES.tile, plan, TABLETOP_DEVICE, 3, context(), coarse).cloud }
    }
    const front = at(1, 0),
      back = at(1, 180)
    await expect(
      runOperation(
        goOn,
        { takes: [front.cloud, back.cloud] },
        { names: ['front', 'back'], planned: [front.plan, back.plan] },
        context(),
      ),
    ).rejects.toThrow(/“back” sees is known in “front”; it cannot go on there/)
    expect(() =>
      mergeClouds([
        { cloud: front.cloud, motion: identityMotion() },
        { cloud: { ...back.cloud, originMm: [1e6, 0, 0] }, motion: identityMotion() },
      ]),
    ).toThrow(/far from each other/)
  })
})

test('merged clouds: motions, frames numbered on, what one lacks says nothing', () => {
  const a: PointCloud = {
    kind: 'cloud',
    positions: Float32Array.of(1, 0, 0),
    normals: Float32Array.of(1, 0, 0),
    colours: Uint8Array.of(9, 8, 7),
    confidence: Float32Array.of(0.9),
    frame: Uint16Array.of(1),
    frameOrigins: Float64Array.of(0, 0, 9, 5, 0, 0),
  }
  const b: PointCloud = { kind: 'cloud', positions: Float32Array.of(1, 0, 0), normals: Float32Array.of(1, 0, 0) }
  const m = mergeClouds([
    { cloud: a, motion: identityMotion() },
    { cloud: b, motion: rotationMotion([0, 0, 1], Math.PI / 2, [0, 0, 3]) },
  ])
  expect([...m.positions].map((v) => Math.round(v * 1e6) / 1e6)).toEqual([1, 0, 0, 0, 1, 3])
  expect([...m.normals!].map(Math.round)).toEqual([1, 0, 0, 0, 1, 0])
  expect([...m.colours!]).toEqual([9, 8, 7, 128, 128, 128])
  expect([...m.frame!]).toEqual([1, 2])
  expect([...m.frameOrigins!]).toEqual([0, 0, 9, 5, 0, 0, 0, 0, 3])
  expect(m.confidence![1]).toBe(0.5)
  const { normals: _n, ...bare } = b
  expect(
    mergeClouds([
      { cloud: a, motion: shiftMotion(0, 0, 0) },
      { cloud: bare, motion: identityMotion() },
    ]).normals,
  ).toBeUndefined()
})

test('matching the frames as an operation: figures before and after, and a verdict', async () => {
  const { cloud } = captureTake(
    OIL_LAMP,
    { ...NEW_TAKE, elevationDeg: 48, secondsPerTurn: 3 },
    TABLETOP_DEVICE,
    5,
    context(),
    { faults: ALL_FAULTS, spacingMm: 0.6 },
  )
  const { figures, findings, params } = await runOperation(matchTakeFrames, { take: cloud }, {}, context())
  expect(Number(figures.doubleBefore)).toBeGreaterThan(0.1)
  expect(Number(figures.doubleAfter)).toBeLessThan(0.03)
  expect(findings[0]).toMatchObject({
    verdict: 'sound',
    text: expect.stringMatching(/^The frames lie on one surface\. Frames were moved by up to \d\.\d\d°/),
  })
  expect(matchTakeFrames.describe(params, figures)).toMatch(
    /^Matched \d+ frames with each other: double surface [\d.]+ % → [\d.]+ %$/,
  )
})
