import type { Brief, Zone } from './brief'
import { FINISH_WORDS } from './words'

/*
 * What follows from a brief: spacing, traps, what will be delivered, and how each school of the trade would have it.
 * All common practice of the trade unless marked.
 */

/** Weight of the area ranks in coverage and in the search for the next take. */
export const RANK_WEIGHT = { must: 1, nice: 0.3, leave: 0, cut: 0 } as const

/** Reflectance taken for a tone; plausible middle values, not measured ones. */
export const TONE_REFLECTANCE = { dark: 0.04, darkish: 0.1, middle: 0.22, light: 0.45, pale: 0.75 } as const

export interface Requirements {
  /** Three points across the smallest detail. */
  readonly wantedSpacingMm: number
  /** Two points across it: the least by the sampling theorem (Shannon 1949). */
  readonly limitSpacingMm: number
  /** Tolerance of the result; where the brief has none, half the smallest detail. */
  readonly toleranceMm: number
  readonly largestMm: number
}

/** What a brief asks of the later stations: spacings, tolerances and limits in mm. */
export function requirementsOf(brief: Brief): Requirements {
  return {
    wantedSpacingMm: brief.detailMm / 3,
    limitSpacingMm: brief.detailMm / 2,
    toleranceMm: brief.toleranceMm ?? brief.detailMm / 2,
    largestMm: Math.max(brief.lengthMm, brief.widthMm, brief.heightMm),
  }
}

/** Whether a zone gives a device with light nothing to see without a coat. */
export const needsCoat = (zone: Zone): boolean => zone.finish === 'metal' || zone.finish === 'clear'

export interface Trap {
  readonly id: string
  readonly name: string
  /** Why this piece meets it. */
  readonly why: string
  /** What it will cost. */
  readonly cost: string
  /** What helps. */
  readonly cure: string
  /** Nothing can be taken there until this is settled. */
  readonly blocking: boolean
}

/** The traps this piece meets, the blocking ones first. */
export function trapsOf(brief: Brief): Trap[] {
  const traps: Trap[] = []
  const add = (id: string, name: string, why: string, cost: string, cure: string, blocking = false): void =>
    void traps.push({ id, name, why, cost, cure, blocking })
  const { largestMm, toleranceMm } = requirementsOf(brief)
  const smallest = Math.min(brief.lengthMm, brief.widthMm, brief.heightMm)
  const has = (trait: Brief['traits'][number]): boolean => brief.traits.includes(trait)
  const may = (p: keyof Brief['permissions']): boolean => brief.permissions[p].allowed === true
  const share = (zones: readonly Zone[]): number => zones.reduce((s, z) => s + z.sharePercent, 0)
  const unseen = brief.zones.filter(needsCoat)
  const coatable = may('coat') && !brief.person
  if (unseen.length > 0) {
    const what =
      `${share(unseen)} % of the surface is ` +
      `${[...new Set(unseen.map((z) => FINISH_WORDS[z.finish]))].join(' and ')}`
    if (brief.person)
      add(
        'coat',
        'No light comes back',
        `${what}; people are never coated.`,
        'Those parts will be missing from every take.',
        'Leave them out and model them by hand.',
        true,
      )
    else if (!coatable)
      add(
        'coat',
        'No light comes back',
        `${what}, and coating is ${brief.permissions.coat.allowed === false ? 'not allowed' : 'not agreed yet'}.`,
        'Those parts will be missing from every take.',
        'Ask for leave to coat, or for another way of recording; a hidden spot is tested first.',
        true,
      )
    else
      add(
        'coat',
        'No light comes back',
        `${what}.`,
        '10 to 15 min a coat, and a coat again after a long turn; a few µm to tens of µm of thickness.',
        'A thin coat; photos for colour before it, or after it has gone.',
      )
  }
  const gloss = brief.zones.filter((z) => z.finish === 'gloss')
  if (gloss.length > 0)
    add(
      'gloss',
      'Glare',
      `${share(gloss)} % of the surface is glossy.`,
      'Holes where the light mirrors; one dimmer take more in each pose.',
      coatable ? 'A dimmer exposure first; a coat where that is not enough.' : 'A dimmer exposure and more directions.',
    )
  const tones = brief.zones.filter((z) => !needsCoat(z)).map((z) => TONE_REFLECTANCE[z.tone])
  if (tones.length > 1 && Math.max(...tones) / Math.min(...tones) > 8)
    add(
      'range',
      'Dark beside pale',
      `The palest zone sends back ${Math.round(Math.max(...tones) / Math.min(...tones))} times the ` +
        'light of the darkest.',
      'Two or three exposures in each pose.',
      'An exposure series with nothing moved in between.',
    )
  else if (tones.length === 1 && tones[0] < 0.06)
    add(
      'dark',
      'Dark all over',
      'Little light comes back.',
      'A longer exposure; more noise.',
      'A brighter exposure, a slower table.',
    )
  if (brief.zones.some((z) => z.contrast))
    add(
      'contrast',
      'False relief',
      'Strong print or contrast shifts the points along its edge.',
      'Faint steps along the print; small dark blotches can come out as pits.',
      'A thin coat if it is allowed; else compare the finding with the print before trusting a step there.',
    )
  if (has('round'))
    add(
      'lookAlike',
      'Look-alike',
      'A turned or round piece fits itself at many angles.',
      'Takes may be joined wrongly and look right.',
      may('putty') || may('dots')
        ? 'A sticker or a stick on putty in one place; match by colour or picks there.'
        : 'Use what breaks the symmetry (print, damage) for picks; dots on stands beside it, not on it.',
    )
  if (has('slab') || smallest < largestMm / 5)
    add(
      'slide',
      'Slide through the thickness',
      `It is ${smallest} mm thick on ${largestMm} mm: two faces share only the rim.`,
      'Walls come out double, lettering does not meet.',
      'One take more that sees the top, a wall and the underside together.',
    )
  if (has('hollow'))
    add(
      'hollow',
      'Line of sight',
      'Both eyes of a device must look into a hollow.',
      'The floor of deep hollows stays unseen.',
      'Steep views, a device with a short baseline, or leave it and mark it as filled.',
    )
  if (has('undercut'))
    add(
      'undercut',
      'Undercuts',
      'Parts hide behind others.',
      'One or two poses more.',
      'Low and high rings; turn the piece.',
    )
  if (has('thin'))
    add(
      'thin',
      'Thin parts',
      'Two skins close together run into each other in the fuse.',
      'Edges and blades vanish or grow holes.',
      `Spacing well under the thickness; hold the join within ${(toleranceMm / 3).toFixed(2)} mm.`,
    )
  if (has('loose'))
    add(
      'loose',
      'Loose or soft parts',
      'What moves between takes does not fit.',
      'Ghost layers; a take to repeat.',
      'Fix it gently, take it in one pose, or model it apart.',
    )
  if (brief.permissions.turn.allowed === false)
    add(
      'turn',
      'It may not be turned',
      'Turning over is not allowed.',
      'The underside will never be seen; the mesh is closed by an invented base.',
      'Say so in the release; low views from all sides.',
    )
  else if (brief.original && brief.permissions.turn.allowed === null)
    add(
      'turn',
      'Leave to turn it',
      'Turning an original over needs its owner’s word.',
      'A session that stops half-way.',
      'Ask before the day.',
    )
  if (brief.sun)
    add(
      'sun',
      'Daylight',
      'Sun drowns the device’s light and blinds infrared ones.',
      'Noise and gaps.',
      'Shade the bench or wait for evening.',
    )
  if (brief.vibration)
    add(
      'shake',
      'Vibration',
      'The bench shakes.',
      'Frames slip against each other.',
      'Another place, or a slower table with single shots.',
    )
  if (brief.temperatureC !== null && Math.abs(brief.temperatureC - 20) > 8)
    add(
      'temperature',
      'Far from 20 °C',
      `${brief.temperatureC} °C: lengths are stated at 20 °C (ISO 1), and the device must warm through.`,
      'Calibrate at the bench’s temperature; a term in the tolerance.',
      'Let piece and device stand for an hour.',
    )
  return traps.sort((a, b) => Number(b.blocking) - Number(a.blocking))
}

/** Whether nothing of the surface would be seen as things stand. */
export function nothingToSee(brief: Brief): boolean {
  return brief.zones.every(needsCoat) && (brief.person || brief.permissions.coat.allowed !== true)
}
