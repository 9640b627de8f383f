import type { Brief } from '../brief/brief'
import { requirementsOf } from '../brief/requirements'
import { forecastSkin } from '../fuse/predict'
import type { CoatDecision, ExposurePlan } from './exposure'
import { framesPerTurn, rangeNoiseMm, type DeviceProfile } from './device-profile'
import type { PhotoPlan } from './photos'
import type { Plan } from './plan'
import type { PlannedTake } from './takes'

/* What a session costs: data, time, and tolerance. */

/** Points of a surface at a spacing: A/s². */
export const pointsAt = (areaMm2: number, spacingMm: number): number => areaMm2 / spacingMm ** 2

export interface DataBudget {
  readonly points: number
  readonly triangles: number
  readonly memoryBytes: number
  readonly rawBytes: number
  readonly stlBytes: number
  readonly seconds: number | null
}

/** Bytes of one stored point with its normal, colour and frame. */
const POINT_BYTES = 30

/**
 * @param areaMm2 of the stand-in
 * @param seconds what this machine took for a million points on its road so far; null while it has not been measured
 */
export function dataBudget(
  plan: Plan,
  areaMm2: number,
  seen: readonly number[],
  spacingMm: number,
  secondsPerMillion: number | null,
): DataBudget {
  const raw = plan.takes.reduce(
    (s, t, i) => s + pointsAt(areaMm2 * (seen[i] ?? 0.6), plan.device.spacingMm) * t.exposures,
    0,
  )
  const points = pointsAt(areaMm2, spacingMm)
  const skin = forecastSkin({ areaMm2 }, spacingMm)
  return {
    points,
    triangles: skin.faces,
    memoryBytes: skin.memoryBytes + raw * POINT_BYTES,
    rawBytes: raw * POINT_BYTES,
    stlBytes: skin.stlBytes,
    seconds: secondsPerMillion === null ? null : (raw / 1e6) * secondsPerMillion,
  }
}

export type SlotKind = 'setUp' | 'coat' | 'photos' | 'reference' | 'take' | 'turn' | 'tidy'

export interface Slot {
  readonly kind: SlotKind
  readonly label: string
  readonly fromMin: number
  readonly minutes: number
  /** Index of the take. */
  readonly take?: number
}

export interface Timeline {
  readonly slots: readonly Slot[]
  readonly minutes: number
  /** When each coat goes on and when it has gone, minutes from the start. */
  readonly coats: readonly { readonly fromMin: number; readonly toMin: number }[]
}

/** How long a take runs, minutes: frames at the device's rate, or a few seconds for each shot. */
export function takeMinutes(take: PlannedTake, device: DeviceProfile): number {
  const perShot = Math.max(3, 6 / device.framesPerSecond)
  const one =
    take.kind === 'handheld'
      ? (take.strokes * take.sections * 25) / 60
      : take.kind === 'arm'
        ? (take.strokes * 40) / 60
        : take.secondsPerTurn !== null
          ? (take.secondsPerTurn * take.sweepDeg) / 360 / 60 + 0.3
          : (take.steps * (take.kind === 'byHand' ? perShot + 20 : perShot)) / 60 + 0.3
  return one * take.exposures + 0.5 * (take.exposures - 1)
}

/** Frames a take gathers. */
export const takeFrames = (take: PlannedTake, device: DeviceProfile): number =>
  (take.secondsPerTurn === null
    ? take.steps
    : Math.ceil((framesPerTurn(device, take.secondsPerTurn) * take.sweepDeg) / 360)) * take.exposures

const COAT_MINUTES = 12
const TURN_MINUTES = 3
const REFERENCE_MINUTES = 1.5
const TIDY_MINUTES = 5
const PHOTO_MINUTES = 0.12

/**
 * The session in order. Photos for colour are taken in each pose before its first take; with a coat, in every pose
 * before the first coat. A coat that has gone is renewed before the next take.
 */
export function timelineOf(plan: Plan, coat: CoatDecision, photos: PhotoPlan | null): Timeline {
  const slots: Slot[] = []
  const coats: { fromMin: number; toMin: number }[] = []
  let at = 0
  let pose: string | null = null
  const photographed = new Set<string>()
  const add = (kind: SlotKind, label: string, minutes: number, take?: number): void => {
    slots.push({ kind, label, fromMin: at, minutes, ...(take !== undefined && { take }) })
    at += minutes
  }
  const turnTo = (next: PlannedTake): void => {
    const key = `${next.pose} ${next.aboutXDeg} ${next.aboutYDeg} ${next.support}`
    if (pose !== null && pose !== key) add('turn', 'turn', TURN_MINUTES)
    pose = key
  }
  const photograph = (take: PlannedTake): void => {
    if (!photos || photographed.has(take.pose)) return
    photographed.add(take.pose)
    add('photos', `photos ${photos.perTurn}`, photos.perTurn * PHOTO_MINUTES + 1)
  }
  add('setUp', 'warm up, calibrate', plan.device.setUpMinutes)
  if (plan.takes.some((t) => t.kind === 'turntable')) add('reference', 'empty bench', REFERENCE_MINUTES)
  if (coat.choice === 'wanted' && photos) {
    for (const take of plan.takes) {
      if (photographed.has(take.pose)) continue
      turnTo(take)
      photograph(take)
    }
  }
  plan.takes.forEach((take, i) => {
    turnTo(take)
    photograph(take)
    const minutes = takeMinutes(take, plan.device)
    if (coat.choice === 'wanted' && (coats.length === 0 || at + minutes > coats.at(-1)!.toMin)) {
      coats.push({ fromMin: at, toMin: at + COAT_MINUTES + plan.coatLifeMinutes })
      add('coat', coats.length === 1 ? 'coat' : 'coat again', COAT_MINUTES)
    }
    add('take', take.name, minutes, i)
  })
  add('tidy', 'tidy up', TIDY_MINUTES)
  return { slots, minutes: at, coats }
}

export interface ToleranceTerm {
  readonly name: string
  /** One standard uncertainty, mm. */
  readonly mm: number
  readonly rule: string
}

export interface ToleranceBudget {
  readonly terms: readonly ToleranceTerm[]
  /** Root sum of squares of the terms (JCGM 100:2008, 5.1.2, uncorrelated). */
  readonly combinedMm: number
  /** Coverage factor 2: about 95 % (JCGM 100:2008, 6.2.1 and G.6.6). */
  readonly expandedMm: number
  readonly toleranceMm: number
  readonly largest: string
}

/**
 * Thermal expansion of usual materials, per kelvin; a middle value stands in where the material is not named (from
 * memory of handbook tables).
 */
const EXPANSION = 12e-6

/** Combined standard uncertainty of uncorrelated terms: root sum of squares (JCGM 100:2008, 5.1.2). */
export const rootSumSquare = (terms: readonly number[]): number => Math.sqrt(terms.reduce((s, t) => s + t * t, 0))

/** @param playMm play of the planned join, mm; Infinity where a motion is free */
export function toleranceBudget(
  brief: Brief,
  device: DeviceProfile,
  coat: CoatDecision,
  spacingMm: number,
  playMm: number,
  distanceMm: number,
): ToleranceBudget {
  const { toleranceMm, largestMm } = requirementsOf(brief)
  const uniform = Math.sqrt(3)
  const off = brief.temperatureC === null ? 2 : Math.abs(brief.temperatureC - 20)
  const terms: ToleranceTerm[] = [
    {
      name: 'device',
      mm: Math.hypot(device.accuracyMm / 2, rangeNoiseMm(device, distanceMm) / 2),
      rule: 'half the stated accuracy, and the noise of one point averaged over four',
    },
    { name: 'joining', mm: playMm, rule: 'play of the joined takes, one standard deviation at the farthest point' },
    { name: 'coating', mm: coat.thicknessMm / uniform, rule: 'anything between nothing and the whole layer (uniform)' },
    { name: 'temperature', mm: (largestMm * EXPANSION * off) / uniform, rule: `${off} K from 20 °C, 12 µm/(m·K)` },
    { name: 'skin', mm: spacingMm / 10 / uniform, rule: 'a tenth of the spacing, uniform: rounding between points' },
  ]
  const combinedMm = rootSumSquare(terms.map((t) => t.mm))
  return {
    terms,
    combinedMm,
    expandedMm: 2 * combinedMm,
    toleranceMm,
    largest: terms.reduce((a, b) => (b.mm > a.mm ? b : a)).name,
  }
}

/** Exposures that each take should have by the series. */
export const exposuresWanted = (series: ExposurePlan): number => Math.max(1, series.steps.length)
