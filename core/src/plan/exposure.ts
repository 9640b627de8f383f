import type { Brief, Zone } from '../brief/brief'
import { needsCoat, TONE_REFLECTANCE } from '../brief/requirements'

/* How many exposures a piece wants, and what no exposure shows. Reflectances are plausible middle values of a tone. */

export interface ExposureStep {
  /** Light beside the first step's: 1, then more for darker zones. */
  readonly gain: number
  readonly stops: number
  readonly zones: readonly string[]
}

export interface ExposurePlan {
  readonly steps: readonly ExposureStep[]
  /** Zones that give nothing back without a coat. */
  readonly unseen: readonly string[]
  /** Signal of each zone that is seen, from its flattest angle to its mirror: the range the series must hold. */
  readonly signals: readonly { readonly zone: string; readonly low: number; readonly high: number }[]
}

/** Light lost at the flattest useful angle, and gained where a finish mirrors. */
const TILT = 0.5
const MIRROR = { matt: 1, satin: 2, gloss: 5, metal: 1, clear: 1 } as const

/**
 * Steps of exposure so that each zone is, somewhere, over the device's floor and under its clipping: the range of all
 * zones, brightest mirror to darkest tilt, laid over the range that one exposure holds.
 * @param range brightest over darkest signal of one exposure, > 1
 */
export function planExposures(zones: readonly Zone[], range: number, coated = false): ExposurePlan {
  const seen = zones.filter((z) => coated || !needsCoat(z))
  const signals = seen.map((z) => {
    const reflectance = coated ? TONE_REFLECTANCE.pale : TONE_REFLECTANCE[z.tone]
    return { zone: z.name, low: reflectance * TILT, high: reflectance * (coated ? 1 : MIRROR[z.finish]) }
  })
  const unseen = coated ? [] : zones.filter(needsCoat).map((z) => z.name)
  if (signals.length === 0) return { steps: [], unseen, signals }
  const high = Math.max(...signals.map((s) => s.high)),
    low = Math.min(...signals.map((s) => s.low))
  const n = Math.max(1, Math.ceil(Math.log(high / low) / Math.log(range) - 1e-9))
  const factor = n === 1 ? 1 : (high / low / range) ** (1 / (n - 1))
  const steps = Array.from({ length: n }, (_, i): ExposureStep => {
    const gain = factor ** i
    // This step holds signals from clip/range up to clip, clip lying at high / gain.
    const top = high / gain,
      bottom = top / range
    return {
      gain,
      stops: Math.log2(gain),
      zones: signals.filter((s) => s.low <= top * 1.0001 && s.high >= bottom * 0.9999).map((s) => s.zone),
    }
  })
  return { steps, unseen, signals }
}

export type CoatChoice = 'none' | 'wanted' | 'forbidden' | 'people' | 'ask'

export interface CoatDecision {
  readonly choice: CoatChoice
  readonly text: string
  /** Into the tolerance budget, mm. */
  readonly thicknessMm: number
  readonly coats: number
}

/** Whether a coat is wanted and may be; how often it must be renewed in a session of that length. */
export function decideCoat(
  brief: Brief,
  sessionMinutes: number,
  coatMicrometres: number,
  lifeMinutes: number,
): CoatDecision {
  const zones = brief.zones.filter(needsCoat)
  const names = zones.map((z) => `“${z.name}”`).join(', ')
  if (zones.length === 0) return { choice: 'none', text: 'No zone needs a coat.', thicknessMm: 0, coats: 0 }
  if (brief.person)
    return { choice: 'people', text: `${names} would need a coat; people are never coated.`, thicknessMm: 0, coats: 0 }
  const permission = brief.permissions.coat
  if (permission.allowed === false)
    return {
      choice: 'forbidden',
      text:
        `${names} can't be seen without a coat, and coating is not ` +
        `allowed${permission.by ? ` (${permission.by})` : ''}.`,
      thicknessMm: 0,
      coats: 0,
    }
  if (permission.allowed === null || permission.by === '')
    return {
      choice: 'ask',
      text:
        `${names} can't be seen without a coat. Ask the ` +
        `owner${brief.original ? ' and a conservator' : ''} first, and write down who agreed.`,
      thicknessMm: 0,
      coats: 0,
    }
  const coats = Math.max(1, Math.ceil(sessionMinutes / lifeMinutes))
  return {
    choice: 'wanted',
    coats,
    thicknessMm: (coats * coatMicrometres) / 1000,
    text:
      `Coat ${names}: ` +
      `${coats === 1 ? 'one coat lasts the session' : `${coats} coats, one every ${Math.round(lifeMinutes)} min`}; ` +
      `about ${Math.round(coats * coatMicrometres)} µm. Photos for colour before it, or after it ` +
      'has gone.',
  }
}
