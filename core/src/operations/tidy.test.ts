import { describe, expect, test } from 'vitest'
import { captureTake, LAMP_TAKES, TABLETOP_DEVICE } from '../bench/capture'
import { OIL_LAMP } from '../bench/pieces'
import { ALL_FAULTS } from '../bench/settings'
import { quietContext } from '../context'
import { invertRigid, transformPoints } from '../linear/rigid'
import { bitsOf, countBits, emptyBits, hasBit, invert } from '../select/bits'
import type { PointCloud } from '../shapes'
import { cutSelection, removeGrazing, runOperation, smoothTake, thinTakeByCurvature, type Selection } from './index'

const context = () => quietContext()
const taken = captureTake(OIL_LAMP, LAMP_TAKES[0]!, TABLETOP_DEVICE, 12, context(), { faults: ALL_FAULTS, pitchMm: 1, spacingMm: 0.6, reference: true })
const take = taken.cloud
const n = take.positions.length / 3
/** Distances of the points from the true lamp, mm. */
const offSurface = (positions: Float32Array): Float64Array => {
  const p = transformPoints(invertRigid(taken.truth), positions)
  return Float64Array.from({ length: p.length / 3 }, (_, i) => OIL_LAMP.field(p[i * 3]!, p[i * 3 + 1]!, p[i * 3 + 2]!))
}
const scatter = (positions: Float32Array): number => [...offSurface(positions)].map(Math.abs).sort((a, b) => a - b)[Math.floor(positions.length / 6)]!

describe('cut by hand', () => {
  const selection = (bits: Uint8Array): Selection => ({ kind: 'selection', count: n, bits })
  test('what is chosen goes, what is not stays, in its order; area and share are told', async () => {
    const bits = bitsOf(Uint8Array.from({ length: n }, (_, i) => (i % 7 === 0 ? 1 : 0)))
    const { outputs, figures, findings, params } = await runOperation(cutSelection, { take, selection: selection(bits) }, {}, context())
    const left = outputs.take as PointCloud
    expect(left.positions.length / 3).toBe(n - countBits(bits))
    let at = 0
    for (let i = 0; i < n; i++) if (!hasBit(bits, i)) expect(left.positions[3 * at++]).toBe(take.positions[3 * i])
    expect(figures).toMatchObject({ before: n, cut: countBits(bits) })
    expect(Number(figures.areaMm2)).toBeGreaterThan(100)
    expect(findings[0]!.text).toMatch(/points were cut by hand \(14\.\d % of the take/)
    expect(cutSelection.describe(params, figures)).toMatch(/^Cut [\d,]+ points by hand/)
  })
  test('nothing chosen, everything chosen, and a selection of another take are refused', async () => {
    await expect(runOperation(cutSelection, { take, selection: selection(emptyBits(n)) }, {}, context())).rejects.toThrow('Nothing is chosen')
    await expect(runOperation(cutSelection, { take, selection: selection(invert(emptyBits(n), n)) }, {}, context())).rejects.toThrow('Everything is chosen')
    await expect(runOperation(cutSelection, { take, selection: selection(new Uint8Array(3)) }, {}, context())).rejects.toThrow('belongs to the take as it was before')
  })
})

test('smoothing brings the take nearer to the true lamp, and says by how much points moved', async () => {
  const { outputs, figures, findings } = await runOperation(smoothTake, { take }, {}, context())
  const after = outputs.take as PointCloud
  expect(scatter(after.positions)).toBeLessThan(0.8 * scatter(take.positions))
  expect(after.colours).toBe(take.colours)
  expect(Number(figures.maxMm)).toBeLessThanOrEqual(Number(figures.capMm))
  expect(findings[0]!.text).toMatch(/^Noise was taken off: points moved by 0\.0\d\d mm on the whole/)
  await expect(runOperation(smoothTake, { take }, { capMm: 0 }, context())).rejects.toThrow(/CapMm must be a positive number/)
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
  await expect(runOperation(removeGrazing, { take: bare }, {}, context())).rejects.toThrow('does not know from where its points were seen')
})
