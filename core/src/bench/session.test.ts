import { describe, expect, test } from 'vitest'
import { DEVICE_CLASSES } from '../plan/devices'
import { acceptanceTest, calibrate } from './calibration'
import { driftPoint } from './drift'
import {
  afterEvent,
  benchFindings,
  calibrationDue,
  checkEvent,
  NEW_SESSION,
  type BenchEvent,
  type BenchSession,
} from './session'

const HOUR = 3.6e6
const run = (...events: BenchEvent[]): BenchSession =>
  events.reduce((s, e, i) => afterEvent(s, e, i * 1000), NEW_SESSION)
const calibrated: BenchEvent = { kind: 'calibrated', mode: 'near', residualMm: 0.005 }

describe('the rules of the bench (common practice)', () => {
  test('the empty bench is needed again after device or table moved, not after the piece was turned or the light changed', () => {
    expect(run({ kind: 'reference' }).reference).toBe('valid')
    expect(
      run({ kind: 'reference' }, { kind: 'pieceTurned' }, { kind: 'light', stops: 1 }, { kind: 'coat' }).reference,
    ).toBe('valid')
    expect(run({ kind: 'reference' }, { kind: 'tableMoved' }).reference).toBe('tableMoved')
    expect(run({ kind: 'reference' }, { kind: 'distance', fartherMm: 10 }).reference).toBe('deviceMoved')
    expect(run({ kind: 'reference' }, { kind: 'deviceMoved' }, { kind: 'reference' }).reference).toBe('valid')
    expect(run({ kind: 'deviceMoved' }).reference).toBe('none')
    expect(
      benchFindings(run(calibrated, { kind: 'reference' }, { kind: 'deviceMoved' }), 0, false).map((f) => f.nextMove),
    ).toContain('Take the empty bench')
  })
  test('calibration is due at first, after hours, a step of temperature, a knock, a transport', () => {
    expect(calibrationDue(NEW_SESSION, 0)).toHaveLength(1)
    expect(calibrationDue(run(calibrated), HOUR)).toEqual([])
    expect(calibrationDue(run(calibrated), 9 * HOUR)[0]).toContain('9 hours old')
    expect(calibrationDue(run(calibrated, { kind: 'temperature', celsius: 26 }), HOUR)[0]).toContain('6 K warmer')
    expect(calibrationDue(run(calibrated, { kind: 'temperature', celsius: 22 }), HOUR)).toEqual([])
    expect(calibrationDue(run(calibrated, { kind: 'knock' }), HOUR)).toEqual(['it was knocked'])
    expect(calibrationDue(run(calibrated, { kind: 'transport' }, calibrated), HOUR)).toEqual([])
  })
  test('a turned piece drops the dots on the table, until the next take', () => {
    const turned = run(calibrated, { kind: 'pieceTurned' })
    expect(benchFindings(turned, 0, true).some((f) => f.id === 'bench.dots')).toBe(true)
    expect(benchFindings(turned, 0, false).some((f) => f.id === 'bench.dots')).toBe(false)
    expect(
      benchFindings(afterEvent(turned, { kind: 'taken', name: 'a' }, 5), 0, true).some((f) => f.id === 'bench.dots'),
    ).toBe(false)
  })
  test('all is logged with its time, who and where too', () => {
    const s = run({ kind: 'begin', who: 'A. Sample', where: 'loft' }, { kind: 'taken', name: 'upright' })
    expect(s).toMatchObject({ who: 'A. Sample', where: 'loft' })
    expect(s.log.map((e) => [e.kind, e.at])).toEqual([
      ['begin', 0],
      ['taken', 1000],
    ])
  })
  test.each([
    null,
    {},
    { kind: 'explode' },
    { kind: 'temperature', celsius: 400 },
    { kind: 'light' },
    { kind: 'knock', extra: 1 },
    { kind: 'begin', who: 'x'.repeat(200), where: '' },
  ])('%j is no event of the bench', (value) => {
    expect(() => checkEvent(value)).toThrow('nothing that happens at the bench')
  })
})

describe('calibration and acceptance', () => {
  const device = DEVICE_CLASSES[1]
  test('the board finds the scale and the bow a warm device has', () => {
    const cold = calibrate(device, 'near', 0, 3)
    expect(Math.abs(cold.scalePpm)).toBeLessThan(40)
    const warm = calibrate(device, 'far', 8, 3)
    const [a] = driftPoint(device, 8, 50, 0, device.standOffMm)
    expect(warm.scalePpm).toBeCloseTo((a / 50 - 1) * 1e6, -2)
    expect(warm.bowMm).toBeCloseTo(
      driftPoint(device, 8, device.windowMm / 2, 0, device.standOffMm)[2] - device.standOffMm,
      2,
    )
    expect(warm.views).toBe(15)
    for (const c of [cold, warm]) {
      expect(c.verdict).toBe('sound')
      expect(c.residualMm).toBeLessThan(device.noiseMm)
    }
    expect(() => calibrate(device, 'middle' as never, 0, 1)).toThrow('near and a far mode')
  })
  test.each(DEVICE_CLASSES.map((d) => [d.id, d] as const))(
    '%s is accepted when just calibrated; heat shows as spacing and flatness error',
    (_id, d) => {
      const fresh = acceptanceTest(d, 0, 1),
        hot = acceptanceTest(d, 30, 1)
      expect(fresh.verdict).toBe('sound')
      expect(Math.abs(hot.spacingMm)).toBeGreaterThan(Math.abs(fresh.spacingMm))
      expect(hot.flatnessMm).toBeGreaterThan(fresh.flatnessMm)
      expect(fresh.formMm).toBeGreaterThan(0)
    },
  )
  test('the same seed gives the same figures', () => {
    expect(acceptanceTest(device, 2, 7)).toEqual(acceptanceTest(device, 2, 7))
    expect(acceptanceTest(device, 2, 7)).not.toEqual(acceptanceTest(device, 2, 8))
  })
})
