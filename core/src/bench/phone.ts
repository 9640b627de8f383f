import { place, type PlannedTake } from '../plan/takes'
import { planPhotos, type PhotoSettings } from '../plan/photos'
import type { DemoPiece } from './pieces'
import { coarseMesh } from './scene'

/** A camera phone on its own tripod that releases by itself at an interval while the table turns. */
export interface PhoneSettings {
  readonly camera: PhotoSettings
  readonly perTurn: number
  readonly intervalSeconds: number
  /** Over the table's horizon, degrees. */
  readonly elevationDeg: number
  /** Stops brighter or darker than the phone would choose for a middle grey. */
  readonly stops: number
  /** Its screen is kept on, or somebody taps it now and then. */
  readonly keptAwake: boolean
  /** What of a real phone its pictures show. @defaultValue none of it */
  readonly effects?: PhoneEffects
}

/** What a real phone does to its pictures, each by itself. */
export interface PhoneEffects {
  /** Straight lines bend, corners are darker. */
  readonly lens: boolean
  /** Its own contrast, and filters that are not quite those of the eye. */
  readonly tone: boolean
  /** The lamp's shadows of the piece upon itself, on what holds it and on the table. */
  readonly shadows: boolean
  /** Every edge a little soft. */
  readonly softness: boolean
  /** Exposure and white chosen anew for each photo. */
  readonly drift: boolean
}
export const NO_EFFECTS: PhoneEffects = { lens: false, tone: false, shadows: false, softness: false, drift: false }
export const ALL_EFFECTS: PhoneEffects = { lens: true, tone: true, shadows: true, softness: true, drift: true }

/** A phone that nobody touches switches itself off after this long. */
export const SLEEP_SECONDS = 120
export const PHOTO_INTERVAL_SECONDS = 8
/** The phone's tripod stands so far round the table from the device's. */
export const PHONE_AZIMUTH_DEG = 40

export interface PlannedShot {
  readonly index: number
  /** Where the table stands. */
  readonly tableDeg: number
  readonly atSeconds: number
  /** false: the phone had gone to sleep. */
  readonly taken: boolean
}

/**
 * What becomes of a run of photos: each at its angle and time; once the phone has gone to sleep nothing more is taken.
 * @param wanted which photos of the turn are to be made; the run begins with a touch, and the table goes straight from
 * one to the next
 */
export function photoRun(
  phone: Pick<PhoneSettings, 'perTurn' | 'intervalSeconds' | 'keptAwake'>,
  wanted: readonly number[],
): PlannedShot[] {
  return wanted.map((index, k) => {
    const atSeconds = k * phone.intervalSeconds
    return {
      index,
      tableDeg: (index * 360) / phone.perTurn,
      atSeconds,
      taken: phone.keptAwake || atSeconds < SLEEP_SECONDS,
    }
  })
}

export interface MissingRun {
  readonly fromDeg: number
  readonly toDeg: number
  readonly count: number
}

/** Photos of a turn that are not there, as runs of neighbours; a run over 0° is one. */
export function missingRuns(perTurn: number, here: ReadonlySet<number>): MissingRun[] {
  const missing = Array.from({ length: perTurn }, (_, i) => i).filter((i) => !here.has(i))
  if (missing.length === 0) return []
  const step = 360 / perTurn
  const runs: number[][] = []
  for (const i of missing) {
    const last = runs.at(-1)
    if (last && last.at(-1) === i - 1) last.push(i)
    else runs.push([i])
  }
  if (runs.length > 1 && runs[0][0] === 0 && runs.at(-1)!.at(-1) === perTurn - 1) runs[0] = [...runs.pop()!, ...runs[0]]
  return runs.map((r) => ({ fromDeg: Math.round(r[0] * step), toDeg: Math.round(r.at(-1)! * step), count: r.length }))
}

/** Photos a pose should have: as many as the plan's camera needs for its overlap. */
export function photosPerTurn(
  camera: PhotoSettings,
  piece: DemoPiece,
  take: PlannedTake,
): { perTurn: number; distanceMm: number } {
  const { radiusMm, heightMm, restMm } = place(take, coarseMesh(piece).positions)
  // Of the ball round the piece as it stands: seen from above, its near rim is larger than half its height.
  return planPhotos(camera, Math.max(Math.hypot(radiusMm, (heightMm - restMm) / 2), piece.lengthMm / 2), 1)
}
