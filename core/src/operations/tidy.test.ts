import { describe, expect, test } from 'vitest'
import { captureTake, LAMP_TAKES, TABLETOP_DEVICE } from '../bench/capture'
import { OIL_LAMP } from '../bench/pieces'
import { ALL_FAULTS } from '../bench/settings'
import { quietContext } from '../context'
import { identityMotion, invertRigid, transformPoints } from '../linear/rigid'
import { bitsOf, countBits, emptyBits, hasBit, invert } from '../select/bits'
import { pickPoints, type PointCloud } from '../shapes'
import {
  cutSelection,
  operationNamed,
  removeGrazing,
  runOperation,
  smoothTake,
  thinTakeByCurvature,
  type Selection,
} from './index'

const context = () => quietContext()
const taken = captureTake(OIL_LAMP, LAMP_TAKES[0], TABLETOP_DEVICE, 12, context(), {
  faults: ALL_FAULTS,
  pitchMm: 1,
  spacingMm: 0.6,
  reference: true,
})
const take = taken.cloud
const n = take.positions.length / 3
/** Distances of the points from the true lamp, mm. */
const offSurface = (positions: Float32Array): Float64Array => {
  const p = transformPoints(invertRigid(taken.truth), positions)
  return Float64Array.from({ length: p.length / 3 }, (_, i) => OIL_LAMP.field(p[i * 3], p[i * 3 + 1], p[i * 3 + 2]))
}
const scatter = (positions: Float32Array): number =>
  [...offSurface(positions)].map(Math.abs).sort((a, b) => a - b)[Math.floor(positions.length / 6)]

describe('cut by hand', () => {
  const selection = (bits: Uint8Array): Selection => ({ kind: 'selection', count: n, bits })
  test('what is chosen goes, what is not stays, in its order; area and share are told', async () => {
    const bits = bitsOf(Uint8Array.from({ length: n }, (_, i) => (i % 7 === 0 ? 1 : 0)))
    const { outputs, figures, findings, params } = await runOperation(
      cutSelection,
      { take, selection: selection(bits) },
      {},
      context(),
    )
    const left = outputs.take as PointCloud
    expect(left.positions.length / 3).toBe(n - countBits(bits))
    let at = 0
    for (let i = 0; i < n; i++) if (!hasBit(bits, i)) expect(left.positions[3 * at++]).toBe(take.positions[3 * i])
    expect(figures).toMatchObject({ before: n, cut: countBits(bits) })
    expect(Number(figures.areaMm2)).toBeGreaterThan(100)
    expect(findings[0].text).toMatch(/points were cut by hand \(14\.\d % of the take/)
    expect(cutSelection.describe(params, figures)).toMatch(/^Cut [\d,]+ points by hand/)
  })
  test('nothing chosen, everything chosen, and a selection of another take are refused', async () => {
    await expect(
      runOperation(cutSelection, { take, selection: selection(emptyBits(n)) }, {}, context()),
    ).rejects.toThrow('Nothing is chosen')
    await expect(
      runOperation(cutSelection, { take, selection: selection(invert(emptyBits(n), n)) }, {}, context()),
    ).rejects.toThrow('Everything is chosen')
    await expect(
      runOperation(cutSelection, { take, selection: selection(new Uint8Array(3)) }, {}, context()),
    ).rejects.toThrow('belongs to the take as it was before')
  })
})

test('smoothing brings the take nearer to the true lamp, and says by how much points moved', async () => {
  const { outputs, figures, findings } = await runOperation(smoothTake, { take }, {}, context())
  const after = outputs.take as PointCloud
  expect(scatter(after.positions)).toBeLessThan(0.8 * scatter(take.positions))
  expect(after.colours).toBe(take.colours)
  expect(Number(figures.maxMm)).toBeLessThanOrEqual(Number(figures.capMm))
  expect(findings[0].text).toMatch(/^Noise was taken off: points moved by 0\.0\d\d mm on the whole/)
  await expect(runOperation(smoothTake, { take }, { capMm: 0 }, context())).rejects.toThrow(
    /CapMm must be a positive number/,
  )
})

test('thinning by curvature: fewer points, the loss foretold; a look leaves the take alone', async () => {
  const smooth = (await runOperation(smoothTake, { take }, {}, context())).outputs.take as PointCloud
  const { outputs, figures } = await runOperation(thinTakeByCurvature, { take: smooth }, { lossMm: 0.1 }, context())
  expect(Number(figures.cut)).toBeGreaterThan(0.1 * n)
  expect((outputs.take as PointCloud).positions.length / 3).toBe(n - Number(figures.cut))
  const looked = await runOperation(thinTakeByCurvature, { take: smooth }, { lossMm: 0.1, apply: false }, context())
  expect(countBits((looked.outputs.selection as Selection).bits)).toBe(figures.cut)
})

test('glancing points: those that go lie farther off the true lamp than those that stay', async () => {
  const { outputs, figures } = await runOperation(removeGrazing, { take }, { angleDeg: 70, apply: false }, context())
  const { bits } = outputs.selection as Selection
  expect(Number(figures.cut)).toBeGreaterThan(50)
  const off = offSurface(take.positions)
  const mean = (want: boolean): number => {
    const part = [...off].filter((_, i) => hasBit(bits, i) === want).map(Math.abs)
    return part.reduce((s, v) => s + Math.min(v, 3), 0) / part.length
  }
  expect(mean(true)).toBeGreaterThan(1.3 * mean(false))
  const { frame: _f, ...bare } = take
  await expect(runOperation(removeGrazing, { take: bare }, {}, context())).rejects.toThrow(
    'does not know from where its points were seen',
  )
})

describe('acts by themselves', () => {
  const withTable = captureTake(
    OIL_LAMP,
    { ...LAMP_TAKES[0], support: 'putty', riserMm: 0 },
    TABLETOP_DEVICE,
    12,
    context(),
    { faults: ALL_FAULTS, pitchMm: 1, spacingMm: 0.6 },
  ).cloud
  const run = (name: string, params: object, inputs: Record<string, PointCloud> = { take: withTable }) =>
    runOperation(operationNamed(name), inputs, params, context())

  test.each([
    ['tidy.removeFarFrames', {}],
    ['tidy.removeMixed', {}],
    ['tidy.removeHolder', { by: 'height', heightMm: 3 }],
    ['tidy.removeDots', {}],
    ['tidy.trimTable', {}],
    ['tidy.removeStrays', {}],
    ['tidy.trimPlane', { normal: [0, 0, 2], offsetMm: 5 }],
  ])('%s: what the look shows is what goes, and the take is left alone by looking', async (name, params) => {
    const looked = await run(name, { ...params, apply: false })
    const done = await run(name, params)
    const shown = looked.outputs.selection as Selection
    const left = done.outputs.take as PointCloud
    expect(looked.outputs.take).toBeUndefined()
    expect(countBits(shown.bits)).toBe(Number(looked.figures.cut))
    expect(left.positions.length / 3).toBe(withTable.positions.length / 3 - countBits(shown.bits))
    // The points that stay keep their order.
    const stays = Array.from({ length: withTable.positions.length / 3 }, (_, i) => i).filter(
      (i) => !hasBit(shown.bits, i),
    )
    expect(stays.every((i, k) => left.positions[k * 3 + 2] === withTable.positions[i * 3 + 2])).toBe(true)
    expect(done.findings[0].text.length).toBeGreaterThan(20)
    expect(operationNamed(name).describe(done.params as never, done.figures)).toMatch(/[\d,]+/)
  })

  test('a plane says which side goes, whatever its length; one with no direction or over everything is refused', async () => {
    const { outputs } = await run('tidy.trimPlane', { normal: [0, 0, 3], offsetMm: 10 })
    const z = (outputs.take as PointCloud).positions.filter((_, i) => i % 3 === 2)
    expect(Math.min(...z)).toBeGreaterThanOrEqual(10)
    await expect(run('tidy.trimPlane', { normal: [0, 0, 0], offsetMm: 1 })).rejects.toThrow('has no direction')
    await expect(run('tidy.trimPlane', { normal: [0, 0, 1], offsetMm: 1e5 })).rejects.toThrow('nothing would be left')
  })

  test('takes that do not say enough are refused in words', async () => {
    const bare: PointCloud = { kind: 'cloud', positions: withTable.positions }
    for (const [name, params, words] of [
      ['tidy.removeFarFrames', {}, 'does not say which frame'],
      ['tidy.removeMixed', {}, 'from where its points were seen'],
      ['tidy.removeGrazing', {}, 'from where its points were seen'],
      ['tidy.removeDots', {}, 'has no colours'],
      ['tidy.removeHolder', { by: 'colour' }, 'has no colours'],
      ['tidy.removeHolder', { by: 'height' }, 'more than 0 mm'],
      ['tidy.thin', { spacingMm: 0 }, 'must be'],
      ['tidy.removeHolder', { plane: [0, 0, 0, 1] }, 'no direction'],
      ['tidy.subtractBench', {}, 'needs bench'],
    ] as const)
      await expect(run(name, params, { take: bare }), name).rejects.toThrow(
        words === 'needs bench' ? 'needs "bench"' : words,
      )
  })

  test('a table the points hardly show is cut where the device knows it; where points lie below, it is not', async () => {
    const p = withTable.positions
    const few = pickPoints(
      withTable,
      Int32Array.from({ length: p.length / 3 }, (_, i) => i).filter((i) => p[i * 3 + 2] > 0.7 || i % 400 === 0),
    )
    expect((await run('tidy.trimTable', {}, { take: few })).figures.cut).toBe(0)
    const known = await run('tidy.trimTable', { plane: [0, 0, 1, 0] }, { take: few })
    expect(Number(known.figures.cut)).toBeGreaterThan(50)
    expect(known.findings[0].text).toContain('where the device knows it')
    expect((await run('tidy.trimTable', { plane: [0, 0, 1, 30] }, { take: few })).figures.cut).toBe(0)
  })

  test('even thinning: to a spacing, or to a count within two in a hundred; too wide, too many and both at once are refused', async () => {
    const before = withTable.positions.length / 3
    const third = await run('tidy.thin', { count: Math.round(before / 3) })
    expect(Math.abs((third.outputs.take as PointCloud).positions.length / 3 / (before / 3) - 1)).toBeLessThan(0.02)
    const wide = await run('tidy.thin', { spacingMm: Number(third.figures.spacingMm) })
    expect(wide.figures.cut).toBe(third.figures.cut)
    expect((await run('tidy.thin', { spacingMm: 1e-4 })).findings[0]).toMatchObject({ verdict: 'doubtful' })
    await expect(run('tidy.thin', { spacingMm: 5000 })).rejects.toThrow('more than the take is large')
    await expect(run('tidy.thin', { count: before })).rejects.toThrow('nothing to thin')
    await expect(run('tidy.thin', {})).rejects.toThrow('Give a spacing or a number of points')
    await expect(run('tidy.thin', { spacingMm: 1, count: 5 })).rejects.toThrow('not both')
  })

  test('strays: what they would do is told', async () => {
    const far = { ...take, positions: take.positions.slice() }
    for (let i = 0; i < 40; i++) far.positions.set([300 + (i % 7) * 0.3, Math.floor(i / 7) * 0.3, 5], i * 3)
    const { findings, figures } = await run('tidy.removeStrays', {}, { take: far })
    expect(Number(figures.lumps)).toBeGreaterThanOrEqual(1)
    expect(findings[0].text).toMatch(
      /hung apart from the piece and are gone\. Left, they would have closed into \d+ lumps? of (their|its) own in the skin and made the box the skin is made in [\d.]+ times as large/,
    )
  })
})

describe('surface that no other take has', () => {
  const motions = { a: identityMotion(), b: identityMotion() }
  const cut = (bits: Uint8Array, others: PointCloud[]) =>
    runOperation(
      cutSelection,
      { take, selection: { kind: 'selection', count: n, bits }, others, motions: { kind: 'motions', motions } },
      { names: ['a', 'b'] },
      context(),
    )
  const low = bitsOf(Uint8Array.from({ length: n }, (_, i) => (take.positions[i * 3 + 2] < 12 ? 1 : 0)))
  test('is warned of when it would go, and not where the other take has it', async () => {
    const upper = pickPoints(
      take,
      Int32Array.from({ length: n }, (_, i) => i).filter((i) => take.positions[i * 3 + 2] > 18),
    )
    expect((await cut(low, [upper])).findings.map((f) => f.id)).toEqual(['tidy.cut', 'tidy.sole'])
    expect((await cut(low, [upper])).findings[1]).toMatchObject({ verdict: 'doubtful' })
    expect((await cut(low, [take])).findings.map((f) => f.id)).toEqual(['tidy.cut'])
  })
  test('is not judged before the takes are joined', async () => {
    const alone = await runOperation(
      cutSelection,
      { take, selection: { kind: 'selection', count: n, bits: low } },
      { names: ['a'] },
      context(),
    )
    expect(alone.findings.map((f) => f.id)).toEqual(['tidy.cut'])
  })
})
