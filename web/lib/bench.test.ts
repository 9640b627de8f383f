import { describe, expect, test } from 'vitest'
import { LAMP_TAKES, TABLETOP_DEVICE, NEW_SESSION } from '@holosoma/core/bench'
import { EMPTY_BRIEF, type Brief } from '@holosoma/core/brief'
import { DEVICE_CLASSES, firstPlan } from '@holosoma/core/plan'
import type { PieceState } from '@holosoma/engine'
import { benchDevice, benchParams, benchTakes, coatMmOf, lightsFor } from './bench'
import { emptyState } from './empty-state'
import { readable } from './import-files'

const state = (over: Partial<PieceState> = {}): PieceState =>
  emptyState('Jug', {
    piece: { id: 1, name: 'Jug', number: '', sample: false, benchPiece: 'jug', binned: false },
    ...over,
  })
const written = <T>(content: T) =>
  ({ content, stepId: 1, revision: 0, version: 1, outlook: null, savedAt: '' }) as never
const zone = (tone: Brief['zones'][number]['tone'], finish: Brief['zones'][number]['finish']) => ({
  name: tone,
  material: 'clay',
  sharePercent: 50,
  finish,
  tone,
  contrast: false,
})
const brief: Brief = { ...EMPTY_BRIEF, detailMm: 1.5, zones: [zone('pale', 'gloss'), zone('dark', 'matt')] }

describe('how the bench stands', () => {
  test('without a plan: the demo’s device and two takes; with one, its own', () => {
    expect(benchDevice(state())).toBe(TABLETOP_DEVICE)
    expect(benchTakes(state())).toBe(LAMP_TAKES)
    const plan = firstPlan(DEVICE_CLASSES[0])
    expect(benchDevice(state({ plan: written(plan) })).id).toBe('macro-tripod')
    expect(benchTakes(state({ plan: written(plan) }))).toHaveLength(2)
  })
  test('light: the brightest zone stays under clipping, a stop doubles it, a series spans to the darkest', () => {
    const [plain] = lightsFor(state({ brief: written(brief) }), 1)
    // Pale gloss shines five times its tone.
    expect(plain * 0.75 * 5).toBeLessThan(1)
    expect(lightsFor(state({ brief: written(brief), session: { ...NEW_SESSION, stops: 1 } }), 1)[0]).toBeCloseTo(
      2 * plain,
      9,
    )
    const series = lightsFor(state({ brief: written(brief) }), 3)
    expect(series[0]).toBe(plain)
    expect(series[1] / series[0]).toBeCloseTo(series[2] / series[1], 9)
    expect(series[2] / series[0]).toBeGreaterThanOrEqual(4)
  })
  test('coats add up by the plan’s layer, and make everything pale', () => {
    const coated = state({
      brief: written(brief),
      plan: written({ ...firstPlan(), coatMicrometres: 20 }),
      session: { ...NEW_SESSION, coats: 2 },
    })
    expect(coatMmOf(coated)).toBeCloseTo(0.04, 12)
    expect(lightsFor(coated, 1)[0]).toBeGreaterThan(lightsFor(state({ brief: written(brief) }), 1)[0])
  })
  test('what the server fills in follows the session: reference, temperatures, distance, dots', () => {
    expect(benchParams(state())).toMatchObject({
      reference: false,
      temperatureC: 20,
      calibratedAtC: 20,
      fartherMm: 0,
      faults: true,
      dots: { where: 'none' },
    })
    const session = {
      ...NEW_SESSION,
      reference: 'valid' as const,
      temperatureC: 26,
      fartherMm: 10,
      calibration: { at: 0, temperatureC: 21, mode: 'near', residualMm: 0.01 },
    }
    expect(benchParams(state({ session }))).toMatchObject({
      reference: true,
      temperatureC: 26,
      calibratedAtC: 21,
      fartherMm: 10,
    })
    expect(benchParams(state({ session: { ...session, reference: 'tableMoved' } }))).toMatchObject({ reference: false })
    // As fine as the brief asks, but never finer than a few hundred points across.
    expect(benchParams(state({ brief: written(brief) })).spacingMm).toBeCloseTo(0.5, 9)
    expect(benchParams(state({ brief: written({ ...brief, detailMm: 0.1 }) })).spacingMm).toBeCloseTo(0.41, 9)
  })
})

test('which files a folder may bring', () => {
  for (const name of ['a.PLY', 'b.3mf', 'c.pcd', 'set.zip', 'x.gltf']) expect(readable(name)).toBe(true)
  for (const name of ['notes.docx', 'photo.jpg', '.hidden']) expect(readable(name)).toBe(false)
})
