import Joi from 'joi'
import { GeometryError } from '../errors'
import { compose, invertRigid, rotationMotion, shiftMotion, transformPoint, type Motion } from '../linear/rigid'
import { windowAtMm, type DeviceProfile } from './device-profile'

/*
 * A planned take: how the piece sits, how device and piece move, and the viewpoints that come of it. The frame of a
 * take is the table's: z up, the table's top at z = 0, its axis at x = y = 0.
 */

export const POSES = ['upright', 'inverted', 'left', 'right', 'front', 'back', 'lean', 'custom'] as const
export type PoseName = (typeof POSES)[number]

export const POSE_WORDS: Readonly<Record<PoseName, string>> = {
  upright: 'upright',
  inverted: 'upside down',
  left: 'on its left side',
  right: 'on its right side',
  front: 'on its front',
  back: 'on its back',
  lean: 'leaning, propped',
  custom: 'turned by hand',
}

export const TAKE_KINDS = ['turntable', 'byHand', 'grip', 'vise', 'arm', 'handheld'] as const
export type TakeKind = (typeof TAKE_KINDS)[number]

export const TAKE_WORDS: Readonly<Record<TakeKind, string>> = {
  turntable: 'on the turntable',
  byHand: 'turned by hand before the fixed device',
  grip: 'held by a grip',
  vise: 'clamped',
  arm: 'arm sweep',
  handheld: 'handheld',
}

export interface PlannedTake {
  readonly name: string
  readonly kind: TakeKind
  readonly pose: PoseName
  /** Turns about x, then y, for `custom`; degrees. */
  readonly aboutXDeg: number
  readonly aboutYDeg: number
  /** Which side faces the device at the start. */
  readonly headingDeg: number
  readonly elevationDeg: number
  /** From the device to the middle of the piece. */
  readonly distanceMm: number
  /** Part of a turn, and how it is run: in steps, or at seconds per turn. */
  readonly sweepDeg: number
  readonly steps: number
  readonly secondsPerTurn: number | null
  readonly exposures: number
  readonly support: 'plate' | 'riser' | 'putty'
  readonly riserMm: number
  /** Handheld: strokes side by side, and how many sections the piece is taken in. */
  readonly strokes: number
  readonly sections: number
  /** Nothing lower than this over the table is taken; null for no limit. */
  readonly floorMm: number | null
  /** Edge of an upright box round the table's axis outside which nothing is taken; null for no limit. */
  readonly boxMm: number | null
  /**
   * The view of the turn from which to start again, over surface that is already known; null to begin at the heading.
   */
  readonly restartDeg: number | null
}

export const NEW_TAKE: PlannedTake = {
  name: 'upright',
  kind: 'turntable',
  pose: 'upright',
  aboutXDeg: 0,
  aboutYDeg: 0,
  headingDeg: 0,
  elevationDeg: 35,
  distanceMm: 330,
  sweepDeg: 360,
  steps: 12,
  secondsPerTurn: null,
  exposures: 1,
  support: 'plate',
  riserMm: 0,
  strokes: 6,
  sections: 1,
  floorMm: null,
  boxMm: null,
  restartDeg: null,
}

/** How much putty rises round the foot of what stands in it, and how much of its height a grip or a jaw hides. */
export const PUTTY_RISE_MM = 3
export const GRIP_SHARE = 0.16

/** More takes than this make no session; told as a finding of the form, not of the computation. */
export const MAX_TAKES = 40

const turn = Joi.number().min(-360).max(360)

export const takeSchema = Joi.object<PlannedTake>({
  name: Joi.string()
    .trim()
    .min(1)
    .max(60)
    .pattern(/^[^/\\]+$/, 'a plain name')
    .required(),
  kind: Joi.string()
    .valid(...TAKE_KINDS)
    .required(),
  pose: Joi.string()
    .valid(...POSES)
    .required(),
  aboutXDeg: turn.required(),
  aboutYDeg: turn.required(),
  headingDeg: turn.required(),
  elevationDeg: Joi.number().min(-60).max(90).required().label('elevation'),
  distanceMm: Joi.number().positive().max(20000).required().label('distance'),
  sweepDeg: Joi.number().greater(0).max(360).required().label('part of a turn'),
  steps: Joi.number().integer().min(1).max(360).required().label('shots'),
  secondsPerTurn: Joi.number().min(2).max(600).allow(null).required().label('seconds per turn'),
  exposures: Joi.number().integer().min(1).max(8).required(),
  support: Joi.string().valid('plate', 'riser', 'putty').required(),
  riserMm: Joi.number().min(0).max(1000).required().label('height of the riser'),
  strokes: Joi.number().integer().min(1).max(60).required(),
  sections: Joi.number().integer().min(1).max(40).required(),
  floorMm: Joi.number().min(0).max(2000).allow(null).required(),
  boxMm: Joi.number().positive().max(5000).allow(null).required().label('box'),
  restartDeg: turn.allow(null).required(),
}).prefs({ errors: { wrap: { label: false } } })

/** Turn of the standing piece into its pose, before it is set down. */
export function poseTurn(take: Pick<PlannedTake, 'pose' | 'aboutXDeg' | 'aboutYDeg' | 'headingDeg'>): Motion {
  const q = Math.PI / 2
  const turns: Readonly<Record<PoseName, readonly [number, number]>> = {
    upright: [0, 0],
    inverted: [2 * q, 0],
    left: [0, -q],
    right: [0, q],
    front: [q, 0],
    back: [-q, 0],
    lean: [1.15 * q, 0],
    custom: [(take.aboutXDeg * q) / 90, (take.aboutYDeg * q) / 90],
  }
  const [x, y] = turns[take.pose]
  return compose(
    rotationMotion([0, 0, 1], (take.headingDeg * q) / 90),
    compose(rotationMotion([0, 1, 0], y), rotationMotion([1, 0, 0], x)),
  )
}

export interface Placed {
  /** Piece → table. */
  readonly motion: Motion
  /** Height of the piece's middle over the table, and its largest distance from the table's axis. */
  readonly middleMm: number
  readonly radiusMm: number
  /** Height at which the piece rests: 0, or the riser's. */
  readonly restMm: number
  /** Extent over the table. */
  readonly heightMm: number
}

/** The piece in its pose, its middle over the table's axis, resting on the plate, riser or putty. */
export function place(take: PlannedTake, positions: Float32Array): Placed {
  const turned = poseTurn(take)
  let low = Infinity,
    high = -Infinity,
    minX = Infinity,
    maxX = -Infinity,
    minY = Infinity,
    maxY = -Infinity
  for (let i = 0; i < positions.length; i += 3) {
    const [x, y, z] = transformPoint(turned, positions[i], positions[i + 1], positions[i + 2])
    low = Math.min(low, z)
    high = Math.max(high, z)
    minX = Math.min(minX, x)
    maxX = Math.max(maxX, x)
    minY = Math.min(minY, y)
    maxY = Math.max(maxY, y)
  }
  const restMm = take.support === 'plate' ? 0 : take.riserMm
  const motion = compose(shiftMotion(-(minX + maxX) / 2, -(minY + maxY) / 2, restMm - low), turned)
  let radius = 0
  for (let i = 0; i < positions.length; i += 3) {
    const [x, y] = transformPoint(motion, positions[i], positions[i + 1], positions[i + 2])
    radius = Math.max(radius, Math.hypot(x, y))
  }
  return { motion, middleMm: restMm + (high - low) / 2, radiusMm: radius, restMm, heightMm: restMm + high - low }
}

/**
 * Where the device stands for each frame, in the coordinates of the piece: camera, projector, and the axes of the
 * picture.
 * Rows of 15: camera (3), projector (3), forward (3), right (3), up (3); mm.
 */
export interface Viewpoints {
  readonly count: number
  readonly rows: Float64Array
  /** Per view: whether the table top hides what lies under the device's horizon (false for pieces held free). */
  readonly table: boolean
}

/** Directions of a continuous turn that are looked at; finer changes nothing visible. */
const CONTINUOUS_VIEWS = 24
const ROW = 15

/** @throws PARAMS when the take has no possible view (the device would stand inside the piece or below the table) */
export function viewpointsOf(take: PlannedTake, device: DeviceProfile, placed: Placed): Viewpoints {
  const views: number[] = []
  const deg = Math.PI / 180
  const back = invertRigid(placed.motion)
  const add = (
    azimuth: number,
    elevation: number,
    distance: number,
    aim: readonly [number, number, number],
    roll = 0,
  ): void => {
    const dir = [Math.cos(elevation) * Math.cos(azimuth), Math.cos(elevation) * Math.sin(azimuth), Math.sin(elevation)]
    const right0 = [-Math.sin(azimuth), Math.cos(azimuth), 0]
    const up0 = [
      -Math.sin(elevation) * Math.cos(azimuth),
      -Math.sin(elevation) * Math.sin(azimuth),
      Math.cos(elevation),
    ]
    const right = right0.map((v, k) => v * Math.cos(roll) + up0[k] * Math.sin(roll))
    const up = up0.map((v, k) => v * Math.cos(roll) - right0[k] * Math.sin(roll))
    const eye = dir.map((v, k) => aim[k] + v * distance)
    const projector = eye.map((v, k) => v + right[k] * device.baselineMm)
    const point = (v: readonly number[]): number[] => transformPoint(back, v[0], v[1], v[2])
    const vector = (v: readonly number[]): number[] =>
      [0, 1, 2].map((r) => back[r * 4] * v[0] + back[r * 4 + 1] * v[1] + back[r * 4 + 2] * v[2])
    views.push(...point(eye), ...point(projector), ...vector(dir.map((v) => -v)), ...vector(right), ...vector(up))
  }
  const middle: [number, number, number] = [0, 0, placed.middleMm]
  const elevation = take.elevationDeg * deg
  const start = (take.restartDeg ?? 0) * deg
  if (take.kind === 'turntable' || take.kind === 'byHand' || take.kind === 'grip' || take.kind === 'vise') {
    const n =
      take.secondsPerTurn === null ? take.steps : Math.max(2, Math.round((CONTINUOUS_VIEWS * take.sweepDeg) / 360))
    for (let s = 0; s < n; s++) add(start + (s / n) * take.sweepDeg * deg, elevation, take.distanceMm, middle)
  } else if (take.kind === 'arm') {
    // Passes from the table's horizon up to the elevation, over `sweepDeg` of the round.
    const rings = Math.max(1, take.strokes)
    for (let r = 0; r < rings; r++) {
      const e = rings === 1 ? elevation : elevation * ((r + 0.5) / rings)
      for (let s = 0; s < take.steps; s++)
        add(
          start + (s / take.steps) * take.sweepDeg * deg,
          e,
          placed.radiusMm * Math.cos(e) + take.distanceMm,
          middle,
          r % 2 ? Math.PI / 2 : 0,
        )
    }
  } else strokes(take, device, placed, add)
  if (views.length === 0) throw new GeometryError('PARAMS', `“${take.name}” has no view.`)
  return {
    count: views.length / ROW,
    rows: Float64Array.from(views),
    table: take.kind !== 'grip' && take.kind !== 'vise',
  }
}

/**
 * Handheld: strokes along the piece's long direction, side by side over the top and down both sides, at the stand-off
 * from its surface.
 */
function strokes(
  take: PlannedTake,
  device: DeviceProfile,
  placed: Placed,
  add: (azimuth: number, elevation: number, distance: number, aim: readonly [number, number, number]) => void,
): void {
  const deg = Math.PI / 180
  const along = Math.max(1, Math.ceil((2 * placed.radiusMm) / (windowAtMm(device, take.distanceMm) * 0.5)))
  for (let s = 0; s < take.strokes; s++) {
    // Slants spread from one side over the top to the other; `elevationDeg` is the lowest.
    const t = take.strokes === 1 ? 0.5 : s / (take.strokes - 1)
    const slant = take.elevationDeg + t * (180 - 2 * take.elevationDeg)
    const elevation = Math.min(slant, 180 - slant) * deg
    const azimuth = (take.headingDeg + (slant > 90 ? 180 : 0)) * deg
    for (let k = 0; k < along; k++) {
      const offset = along === 1 ? 0 : ((k + 0.5) / along - 0.5) * 2 * placed.radiusMm
      const aim = [-Math.sin(azimuth) * offset, Math.cos(azimuth) * offset, placed.middleMm] as const
      add(azimuth, elevation, take.distanceMm, aim)
    }
  }
}

/** Limits of a take in words; empty when it can be run. */
export function takeProblems(take: PlannedTake, device: DeviceProfile, placed: Placed): string[] {
  const out: string[] = []
  if (take.kind === 'turntable' && device.hold !== 'table' && device.hold !== 'tripod')
    out.push('This device does not stand still before a turntable.')
  if (take.kind === 'handheld' && device.hold !== 'hand') out.push('This device is not held in the hand.')
  if (take.kind === 'arm' && device.hold !== 'arm') out.push('This device is not on an arm.')
  if (take.kind !== 'arm' && take.kind !== 'handheld') {
    const nearest = take.distanceMm - placed.radiusMm,
      farthest = take.distanceMm + placed.radiusMm
    if (take.distanceMm < device.nearMm || take.distanceMm > device.farMm)
      out.push(
        `The middle of the piece is at ${Math.round(take.distanceMm)} mm, outside the depth band of ` +
          `${device.nearMm} to ${device.farMm} mm.`,
      )
    else if (nearest < device.nearMm - placed.radiusMm * 0.6 || farthest > device.farMm + placed.radiusMm * 0.6)
      out.push(
        `The piece is deeper than the band: only what lies at ${device.nearMm} to ${device.farMm} mm ` +
          'is seen in each view.',
      )
    const eyeHeight = placed.middleMm + take.distanceMm * Math.sin((take.elevationDeg * Math.PI) / 180)
    if ((take.kind === 'turntable' || take.kind === 'byHand') && eyeHeight <= 0)
      out.push('The device would stand below the table.')
  }
  if (take.boxMm !== null && take.boxMm < 2 * placed.radiusMm * 0.7)
    out.push(
      `The box of ${take.boxMm} mm cuts into the piece, which reaches ${Math.round(placed.radiusMm)} mm from the axis.`,
    )
  if (take.floorMm !== null && take.floorMm >= placed.heightMm) out.push('The floor limit cuts the whole piece away.')
  return out
}
