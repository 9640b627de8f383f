import Joi from 'joi'
import { GeometryError } from '../errors'
import type { Finding } from '../findings'

/*
 * What happens at the bench, in order, and the rules that follow: when the empty bench must be known anew, when the
 * device is due for calibration, which dots still hold. All common practice of the trade.
 */

export type BenchEvent =
  | { readonly kind: 'begin'; readonly who: string; readonly where: string }
  | { readonly kind: 'temperature'; readonly celsius: number }
  | { readonly kind: 'deviceMoved' | 'tableMoved' | 'pieceTurned' | 'knock' | 'transport' | 'reference' | 'coat' }
  | { readonly kind: 'calibrated'; readonly mode: string; readonly residualMm: number }
  | { readonly kind: 'light'; readonly stops: number }
  | { readonly kind: 'distance'; readonly fartherMm: number }
  | { readonly kind: 'taken'; readonly name: string }
  | { readonly kind: 'phone'; readonly keptAwake: boolean }
  | { readonly kind: 'photos'; readonly name: string; readonly count: number }

/** With its time, ms since 1970. */
export type LoggedEvent = BenchEvent & { readonly at: number }

export interface BenchSession {
  readonly who: string
  readonly where: string
  readonly temperatureC: number
  readonly stops: number
  readonly fartherMm: number
  readonly coats: number
  readonly calibration: {
    readonly at: number
    readonly temperatureC: number
    readonly mode: string
    readonly residualMm: number
  } | null
  /** Since the calibration. */
  readonly knocked: boolean
  readonly transported: boolean
  readonly reference: 'none' | 'valid' | 'deviceMoved' | 'tableMoved'
  /** The piece was turned after dots on the table were last seen with it. */
  readonly turned: boolean
  /** The camera phone is kept from going to sleep. */
  readonly phoneAwake: boolean
  readonly log: readonly LoggedEvent[]
}

export const NEW_SESSION: BenchSession = {
  who: '',
  where: '',
  temperatureC: 20,
  stops: 0,
  fartherMm: 0,
  coats: 0,
  calibration: null,
  knocked: false,
  transported: false,
  reference: 'none',
  turned: false,
  phoneAwake: false,
  log: [],
}

const MAX_EVENTS = 2000
const event = (kind: string, fields: Record<string, Joi.Schema> = {}): Joi.ObjectSchema =>
  Joi.object({ kind: Joi.string().valid(kind).required(), ...fields })
const name = Joi.string().trim().max(120)
const schema = Joi.alternatives<BenchEvent>()
  .match('one')
  .try(
    event('begin', { who: name.allow('').required(), where: name.allow('').required() }),
    event('temperature', { celsius: Joi.number().min(-30).max(60).required() }),
    ...(['deviceMoved', 'tableMoved', 'pieceTurned', 'knock', 'transport', 'reference', 'coat'] as const).map((k) =>
      event(k),
    ),
    event('calibrated', { mode: name.required(), residualMm: Joi.number().min(0).max(10).required() }),
    event('light', { stops: Joi.number().min(-6).max(6).required() }),
    event('distance', { fartherMm: Joi.number().min(-1000).max(1000).required() }),
    event('taken', { name: name.required() }),
    event('phone', { keptAwake: Joi.boolean().required() }),
    event('photos', { name: name.required(), count: Joi.number().integer().min(1).max(10_000).required() }),
  )

/** @throws PARAMS when it is no event of the bench */
export function checkEvent(value: unknown): BenchEvent {
  const { value: checked, error } = schema.validate(value)
  if (error)
    throw new GeometryError(
      'PARAMS',
      'That is nothing that happens at the bench, or one of its values is out of range.',
    )
  return checked
}

/** What an event changes. Events come in the order of their times. */
export function afterEvent(s: BenchSession, e: BenchEvent, at: number): BenchSession {
  const log = [...s.log, { ...e, at }].slice(-MAX_EVENTS)
  const next = { ...s, log }
  switch (e.kind) {
    case 'begin':
      return { ...next, who: e.who, where: e.where }
    case 'temperature':
      return { ...next, temperatureC: e.celsius }
    case 'deviceMoved':
      return { ...next, reference: s.reference === 'none' ? 'none' : 'deviceMoved' }
    case 'tableMoved':
      return { ...next, reference: s.reference === 'none' ? 'none' : 'tableMoved' }
    case 'pieceTurned':
      return { ...next, turned: true }
    case 'knock':
      return { ...next, knocked: true }
    case 'transport':
      return { ...next, transported: true, reference: s.reference === 'none' ? 'none' : 'deviceMoved' }
    case 'reference':
      return { ...next, reference: 'valid' }
    case 'coat':
      return { ...next, coats: s.coats + 1 }
    case 'calibrated':
      return {
        ...next,
        calibration: { at, temperatureC: s.temperatureC, mode: e.mode, residualMm: e.residualMm },
        knocked: false,
        transported: false,
      }
    case 'light':
      return { ...next, stops: e.stops }
    // Another distance is another place of the device.
    case 'distance':
      return e.fartherMm === s.fartherMm
        ? next
        : { ...next, fartherMm: e.fartherMm, reference: s.reference === 'none' ? 'none' : 'deviceMoved' }
    case 'taken':
      return { ...next, turned: false }
    case 'phone':
      return { ...next, phoneAwake: e.keptAwake }
    case 'photos':
      return next
  }
}

/** Temperature step from which a device is due, K, and hours one calibration lasts. */
export const DUE_KELVIN = 3
export const DUE_HOURS = 8

/** Why the device should be calibrated now; empty when it need not be. */
export function calibrationDue(s: BenchSession, now: number): string[] {
  if (!s.calibration) return ['it has not been calibrated in this session']
  const out: string[] = []
  const hours = (now - s.calibration.at) / 3.6e6
  const step = Math.abs(s.temperatureC - s.calibration.temperatureC)
  if (hours > DUE_HOURS) out.push(`the last calibration is ${Math.round(hours)} hours old`)
  if (step >= DUE_KELVIN)
    out.push(
      `it is ${step.toFixed(0)} K ` +
        `${s.temperatureC > s.calibration.temperatureC ? 'warmer' : 'colder'} than when it was ` +
        'calibrated',
    )
  if (s.knocked) out.push('it was knocked')
  if (s.transported) out.push('it was moved to another place')
  return out
}

/** What the rules of the bench say now. */
export function benchFindings(s: BenchSession, now: number, tableDots: boolean): Finding[] {
  const out: Finding[] = []
  const due = calibrationDue(s, now)
  if (due.length > 0)
    out.push({
      id: 'bench.calibration',
      verdict: 'doubtful',
      text: `The device is due for calibration: ${due.join(', ')}.`,
      nextMove: 'Calibrate',
    })
  if (s.reference === 'deviceMoved' || s.reference === 'tableMoved')
    out.push({
      id: 'bench.reference',
      verdict: 'doubtful',
      text:
        'The empty bench must be taken again: ' +
        `${s.reference === 'deviceMoved' ? 'the device' : 'the table'} was moved. Until then table ` +
        'points stay in the takes.',
      nextMove: 'Take the empty bench',
    })
  else if (s.reference === 'none')
    out.push({
      id: 'bench.reference',
      verdict: 'sound',
      text: 'The empty bench is not known: the table will be in the takes, and is cut in Tidy.',
    })
  if (s.turned && tableDots)
    out.push({
      id: 'bench.dots',
      verdict: 'doubtful',
      text:
        'The piece was turned: dots on the table no longer stand where they did to it, and are ' +
        'dropped from tracking. The old floor limit is dropped too.',
    })
  return out
}
