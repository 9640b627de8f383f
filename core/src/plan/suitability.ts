import type { Brief } from '../brief/brief'
import { needsCoat, requirementsOf } from '../brief/requirements'
import type { Verdict } from '../findings'
import { rangeNoiseMm, windowAtMm, type DeviceProfile } from './device-profile'

/* Which device suits a brief, in words and figures. Rules of the trade, common practice unless marked. */

export interface Reason {
  readonly verdict: Verdict
  readonly text: string
}

export interface Suitability {
  readonly device: DeviceProfile
  readonly verdict: Verdict
  readonly reasons: readonly Reason[]
  /** Higher is better; for the order only. */
  readonly score: number
}

/** Whether a device is fit for a brief, and why not. */
export function suitabilityOf(brief: Brief, device: DeviceProfile): Suitability {
  const { wantedSpacingMm, limitSpacingMm, toleranceMm, largestMm } = requirementsOf(brief)
  const reasons: Reason[] = []
  const say = (verdict: Verdict, text: string): void => void reasons.push({ verdict, text })
  const smallest = Math.min(brief.lengthMm, brief.widthMm, brief.heightMm)
  if (largestMm > device.freeMaxMm)
    say('unsound', `The piece is ${largestMm} mm; it takes up to ${device.freeMaxMm} mm.`)
  else if (largestMm < device.pieceMinMm)
    say('unsound', `The piece is ${largestMm} mm; it takes from ${device.pieceMinMm} mm.`)
  else if (largestMm > device.pieceMaxMm)
    say(
      'doubtful',
      `At ${largestMm} mm it goes beyond the ${device.pieceMaxMm} mm it takes by itself: free takes, joined.`,
    )
  else say('sound', `${largestMm} mm is a size it takes.`)
  // In the nearest part of its band it is finest.
  const fine =
    ((device.spacingMm * device.nearMm) / device.standOffMm) * Math.min(1, ...device.modes.map((m) => m.spacingFactor))
  if (device.spacingMm <= wantedSpacingMm)
    say('sound', `Points ${device.spacingMm} mm apart hold detail of ${brief.detailMm} mm.`)
  else if (fine <= limitSpacingMm)
    say(
      'doubtful',
      `Points ${device.spacingMm} mm apart are coarse for detail of ${brief.detailMm} mm; at its ` +
        `finest, ${fine.toFixed(2)} mm.`,
    )
  else say('unsound', `Points ${device.spacingMm} mm apart lose detail of ${brief.detailMm} mm.`)
  const error = Math.hypot(device.accuracyMm, rangeNoiseMm(device, device.standOffMm))
  say(
    error <= toleranceMm / 3 ? 'sound' : error <= toleranceMm ? 'doubtful' : 'unsound',
    `Accurate to ${device.accuracyMm} mm, of a tolerance of ${toleranceMm} mm.`,
  )
  const coatable = brief.permissions.coat.allowed === true && !brief.person
  const hard = brief.zones.filter(needsCoat)
  if (hard.length > 0 && !coatable)
    say('unsound', `${hard.map((z) => `“${z.name}”`).join(', ')} gives no light back without a coat.`)
  const gloss = brief.zones.filter((z) => z.finish === 'gloss' || z.tone === 'dark')
  if (gloss.length > 0 && device.exposureRange < 20)
    say('doubtful', `Dark or glossy zones want several exposures (it holds 1:${device.exposureRange} in one).`)
  const tracks = device.tracking
  if (tracks.includes('table') || tracks.includes('encoders'))
    say(
      'sound',
      tracks.includes('table')
        ? 'The table’s turns hold the frames together.'
        : 'The arm’s joints hold the frames together.',
    )
  else if (brief.traits.includes('round') && !tracks.includes('dots'))
    say('doubtful', 'A round piece slides under tracking by shape.')
  else if (tracks.length === 1 && tracks[0] === 'dots')
    say(
      brief.permissions.dots.allowed === true ? 'sound' : 'doubtful',
      `It tracks by dots alone: ${device.dotsInView} in view, ` +
        `${brief.permissions.dots.allowed === true ? 'on the piece' : 'on a mat or stands'}.`,
    )
  else say('sound', `It tracks by ${tracks.join(', ')}.`)
  if (brief.traits.includes('hollow')) {
    // Both eyes must look in: a hollow about half the piece's least size wide, as deep as wide, wants this angle
    // between them at most.
    const between = (2 * Math.atan(device.baselineMm / 2 / device.nearMm) * 180) / Math.PI
    say(
      between <= 18 ? 'sound' : between <= 30 ? 'doubtful' : 'unsound',
      `Its eyes stand ${between.toFixed(0)}° apart: ` +
        `${between <= 18 ? 'reaches into hollows' : 'deep hollows stay dark'}.`,
    )
  }
  if (brief.sun && device.sunBlinds) say('unsound', 'Sunlight blinds it.')
  if (brief.person && (device.laserClass !== 'none' || device.hold === 'table')) say('unsound', 'Not for people.')
  if (brief.vibration && device.hold !== 'hand') say('doubtful', 'A bench that shakes blurs its frames.')
  const window = windowAtMm(device, device.standOffMm)
  const views = Math.ceil(largestMm / window)
  if (views > 4) say('doubtful', `The piece is ${views} of its windows across: many takes.`)
  const count = (v: Verdict): number => reasons.filter((r) => r.verdict === v).length
  const verdict: Verdict = count('unsound') > 0 ? 'unsound' : count('doubtful') > 0 ? 'doubtful' : 'sound'
  const ratio = Math.log2(wantedSpacingMm / device.spacingMm)
  // Where table or arm holds the frames together there is nothing to lose track of.
  const steady = largestMm <= device.pieceMaxMm && (tracks.includes('table') || tracks.includes('encoders')) ? 4 : 0
  const score =
    steady -
    100 * count('unsound') -
    12 * count('doubtful') -
    2 * Math.abs(ratio - 0.7) -
    3 * Math.abs(Math.log2(window / (largestMm * 1.2))) -
    device.pricePerHour / 20 -
    (smallest < device.spacingMm * 20 ? 5 : 0)
  return { device, verdict, reasons, score }
}

export interface DeviceAdvice {
  readonly ranked: readonly Suitability[]
  /** The overall form with a wide device, named areas with a narrow one: when no single device does both. */
  readonly combination: { readonly wide: DeviceProfile; readonly narrow: DeviceProfile; readonly text: string } | null
  /** No device here suits: send it out. */
  readonly sendOut: boolean
}

/** The devices that are fit for a brief, the best first. */
export function adviseDevices(brief: Brief, devices: readonly DeviceProfile[]): DeviceAdvice {
  const ranked = devices.map((d) => suitabilityOf(brief, d)).sort((a, b) => b.score - a.score)
  const { wantedSpacingMm, limitSpacingMm, toleranceMm, largestMm } = requirementsOf(brief)
  const must = brief.areas.filter((a) => a.rank === 'must')
  let combination: DeviceAdvice['combination'] = null
  if (must.length > 0 && ranked[0]?.verdict !== 'sound') {
    const blocked = (d: DeviceProfile): boolean =>
      suitabilityOf(brief, d).reasons.some(
        (r) => r.verdict === 'unsound' && !/Points|takes up to|Accurate/.test(r.text),
      )
    const wide = ranked
      .map((r) => r.device)
      .filter(
        (d) => d.windowMm >= largestMm / 2.5 && largestMm <= d.freeMaxMm && d.accuracyMm <= toleranceMm && !blocked(d),
      )
    const narrow = devices
      .filter((d) => d.spacingMm <= limitSpacingMm && d.accuracyMm <= toleranceMm && !blocked(d))
      .sort(
        (a, b) => Math.abs(Math.log(a.spacingMm / wantedSpacingMm)) - Math.abs(Math.log(b.spacingMm / wantedSpacingMm)),
      )
    const pair = wide.flatMap((w) =>
      narrow.filter((d) => d.windowMm < w.windowMm && d.spacingMm < w.spacingMm).map((d) => [w, d] as const),
    )[0]
    if (pair)
      combination = {
        wide: pair[0],
        narrow: pair[1],
        text:
          `“${pair[0].name}” for the overall form in half a minute, then “${pair[1].name}” for ` +
          `${must.map((a) => `“${a.name}”`).join(', ')}; the fine points win where both exist.`,
      }
  }
  return { ranked, combination, sendOut: !ranked.some((r) => r.verdict !== 'unsound') && !combination }
}
