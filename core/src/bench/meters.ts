import type { Finding, Figure, Verdict } from '../findings'
import { percent } from '../findings'
import { patternContrast, type DeviceProfile } from '../plan/device-profile'
import type { FrameReading } from './frame'
import type { DemoPiece } from './pieces'

/** Exposure and distance of one frame or of a whole take, with what to do about them. */
export interface Meters {
  readonly clipped: number
  readonly starved: number
  readonly tooNear: number
  readonly tooFar: number
  readonly onPiece: number
  readonly nearestMm: number
  readonly farthestMm: number
  readonly middleMm: number
  /** Move the device away by this (negative: nearer); 0 where it stands well. */
  readonly moveMm: number
  /** Change of light in stops that would help; 0 where none would, null where only a series of exposures does. */
  readonly stops: number | null
  readonly finding: Finding
}

/** Of the piece, too dark before it is told. */
const STARVED_LIMIT = 0.02
const RANGE_LIMIT = 0.003

/** Sum of readings, as if they were one frame. */
export function sumReadings(readings: readonly FrameReading[]): FrameReading {
  const sum = (pick: (r: FrameReading) => number): number => readings.reduce((s, r) => s + pick(r), 0)
  const withPiece = readings.filter((r) => r.onPiece > 0)
  const nearest = withPiece.reduce<FrameReading | null>(
    (a, r) => (a === null || r.nearestMm < a.nearestMm ? r : a),
    null,
  )
  return {
    onPiece: sum((r) => r.onPiece),
    clipped: sum((r) => r.clipped),
    starved: sum((r) => r.starved),
    tooNear: sum((r) => r.tooNear),
    tooFar: sum((r) => r.tooFar),
    taken: sum((r) => r.taken),
    nearestMm: nearest?.nearestMm ?? 0,
    farthestMm: Math.max(0, ...readings.map((r) => r.farthestMm)),
    middleMm: withPiece[0]?.middleMm ?? 0,
    nearestAt: nearest?.nearestAt ?? [0, 0],
    zones: (readings[0]?.zones ?? []).map((_, k) => ({
      pixels: sum((r) => r.zones[k].pixels),
      clipped: sum((r) => r.zones[k].clipped),
      starved: sum((r) => r.zones[k].starved),
    })),
    relief: sum((r) => r.relief) / Math.max(1, readings.length),
  }
}

/**
 * Reads the meters: shares are of the piece, never of the table.
 * @param clippingPercent share of the piece that may clip (a setting; common practice: under 1 %)
 */
export function readMeters(
  r: FrameReading,
  device: DeviceProfile,
  piece: Pick<DemoPiece, 'zones'>,
  clippingPercent: number,
): Meters {
  const n = Math.max(1, r.onPiece)
  const clipped = r.clipped / n,
    starved = r.starved / n,
    tooNear = r.tooNear / n,
    tooFar = r.tooFar / n
  const limit = clippingPercent / 100
  const near = r.onPiece > 0 ? device.nearMm - r.nearestMm : 0,
    far = r.onPiece > 0 ? r.farthestMm - device.farMm : 0
  const isNear = tooNear > RANGE_LIMIT,
    isFar = tooFar > RANGE_LIMIT
  const moveMm = isNear && !isFar ? Math.ceil((near + 3) / 5) * 5 : isFar && !isNear ? -Math.ceil((far + 3) / 5) * 5 : 0
  const bright = clipped > limit,
    dark = starved > STARVED_LIMIT
  const stops = bright && dark ? null : bright ? -(clipped > 5 * limit ? 1 : 0.5) : dark ? (starved > 0.2 ? 1 : 0.5) : 0
  const parts: string[] = []
  if (r.onPiece === 0) parts.push('the piece is not in the picture')
  if (bright) parts.push(`${percent(clipped)} clipped${worstZone(r, piece.zones, 'clipped')}`)
  if (dark) parts.push(`${percent(starved)} too dark${worstZone(r, piece.zones, 'starved')}`)
  if (isNear)
    parts.push(
      `${Math.ceil(near)} mm too near${sideOf(r.nearestAt)}${isFar ? ` and ${Math.ceil(far)} mm too far` : ''}`,
    )
  else if (isFar) parts.push(`${Math.ceil(far)} mm too far`)
  const cures: string[] = []
  if (stops === null) cures.push('take two or more exposures')
  else if (stops !== 0) cures.push(`${stops < 0 ? 'dim' : 'brighten'} by ${Math.abs(stops)} stop`)
  if (isNear && isFar) cures.push('the piece is deeper than the band: take it in sections')
  else if (moveMm !== 0) cures.push(`move ${moveMm > 0 ? 'back' : 'in'} ${Math.abs(moveMm)} mm`)
  const bad = clipped > 5 * limit + 0.02 || starved > 0.15 || tooNear + tooFar > 0.05 || r.onPiece === 0
  const verdict: Verdict = parts.length === 0 ? 'sound' : bad ? 'unsound' : 'doubtful'
  const text =
    parts.length === 0
      ? 'Light and distance are right.'
      : `${sentence(parts.join('; '))}${cures.length > 0 ? `: ${cures.join(', ')}` : ''}.`
  const figures: Figure[] = [
    { label: 'Clipped', value: percent(clipped), rule: `of the piece; up to ${clippingPercent} % is allowed` },
    { label: 'Too dark', value: percent(starved) },
    { label: 'Nearest', value: `${r.nearestMm.toFixed(0)} mm`, rule: `band ${device.nearMm} to ${device.farMm} mm` },
    { label: 'Farthest', value: `${r.farthestMm.toFixed(0)} mm` },
    ...(r.middleMm > 0
      ? [
          {
            label: 'Focus',
            value: focusWords(patternContrast(device, r.middleMm)),
            rule: 'contrast of the pattern in the middle of the picture; half is left at the ends of the band',
          },
        ]
      : []),
  ]
  return {
    clipped,
    starved,
    tooNear,
    tooFar,
    onPiece: r.onPiece,
    nearestMm: r.nearestMm,
    farthestMm: r.farthestMm,
    middleMm: r.middleMm,
    moveMm,
    stops,
    finding: { id: 'take.meters', verdict, text, figures },
  }
}

/** What is left of the pattern's contrast, in a word. */
function focusWords(contrast: number): string {
  return `${contrast >= 0.75 ? 'crisp' : contrast >= 0.5 ? 'soft' : 'blurred'}, ${percent(contrast, 0)}`
}

const sentence = (s: string): string => s.charAt(0).toUpperCase() + s.slice(1)

function worstZone(r: FrameReading, zones: readonly string[], what: 'clipped' | 'starved'): string {
  let at = -1
  r.zones.forEach((z, k) => {
    if (z[what] > (at < 0 ? 0 : r.zones[at][what])) at = k
  })
  return at < 0 || zones.length < 2 ? '' : ` on “${zones[at]}”`
}

function sideOf([u, v]: readonly [number, number]): string {
  if (Math.abs(u) < 0.15 && Math.abs(v) < 0.15) return ''
  return Math.abs(u) > Math.abs(v) ? ` at its ${u > 0 ? 'right' : 'left'}` : ` at its ${v > 0 ? 'top' : 'foot'}`
}

/** What the take amounts to when it has ended: lost frames, slipped frames, thin light. */
export function takeFindings(
  frames: readonly { readonly tracked: boolean }[],
  slipped: boolean,
  wanted = frames.length,
): Finding[] {
  const lost = frames.filter((f) => !f.tracked).length
  const out: Finding[] = []
  if (lost > 0)
    out.push({
      id: 'take.tracking',
      verdict: lost > frames.length / 3 ? 'unsound' : 'doubtful',
      text:
        `The device lost its place in ${lost} of ${frames.length} frames; they are left out. Go back ` +
        'over a place already taken, or add dots.',
      nextMove: 'Take it again, slower and over known surface',
    })
  if (frames.length < wanted)
    out.push({
      id: 'take.stopped',
      verdict: 'doubtful',
      text: `Ended after ${frames.length} of ${wanted} frames; the rest of the way was not taken.`,
      nextMove: 'Take it again, or go on with another take',
    })
  if (slipped)
    out.push({
      id: 'take.slip',
      verdict: 'unsound',
      text:
        'The table turned too fast: frames slipped against each other, and surfaces may stand ' +
        'double. Match the frames again, or take it again more slowly.',
      nextMove: 'Take it again more slowly',
    })
  return out
}
