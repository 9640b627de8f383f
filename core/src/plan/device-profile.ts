import Joi from 'joi'
import { GeometryError } from '../errors'
import { presetSchema, type ImportPreset } from '../measure/preset'

/*
 * Classes of devices as editable, versioned data. The figures of the profiles that ship are invented but plausible:
 * real devices' figures are the user's to enter. Lengths in mm.
 */

export const TRACKING = ['table', 'shape', 'colour', 'dots', 'encoders'] as const
export type Tracking = (typeof TRACKING)[number]
export const HOLDS = ['table', 'tripod', 'hand', 'arm'] as const
export type Hold = (typeof HOLDS)[number]
/** Classes by IEC 60825-1; 'none' for devices without a laser. */
export const LASER_CLASSES = ['none', '1', '1M', '2', '2M', '3R', '3B', '4'] as const

export interface DeviceMode {
  readonly name: string
  /** Spacing and speed beside the plain mode's. */
  readonly spacingFactor: number
  readonly speedFactor: number
  readonly use: string
}

export interface DeviceProfile {
  readonly id: string
  readonly version: number
  readonly name: string
  readonly hold: Hold
  /** Edge of the square footprint at the stand-off. */
  readonly windowMm: number
  readonly standOffMm: number
  readonly nearMm: number
  readonly farMm: number
  /** Between neighbouring points of one frame at the stand-off. */
  readonly spacingMm: number
  /**
   * One standard deviation at the stand-off; it grows with distance to the power of `noiseGrowth` (2 by triangulation).
   */
  readonly noiseMm: number
  readonly noiseGrowth: number
  readonly accuracyMm: number
  /** Between projector and camera. */
  readonly baselineMm: number
  readonly maxIncidenceDeg: number
  readonly framesPerSecond: number
  readonly tracking: readonly Tracking[]
  readonly dotsInView: number
  /** Brightest over darkest reflectance that one exposure holds. */
  readonly exposureRange: number
  readonly flickers: boolean
  readonly sunBlinds: boolean
  readonly laserClass: (typeof LASER_CLASSES)[number]
  /** Smallest and largest piece it takes by itself on a table; and at all. */
  readonly pieceMinMm: number
  readonly pieceMaxMm: number
  readonly freeMaxMm: number
  /** What its turntable carries, g; 0 where it has none. */
  readonly tableLoadG: number
  readonly setUpMinutes: number
  readonly pricePerHour: number
  readonly modes: readonly DeviceMode[]
  /** How it writes its files; unset where that is not known. */
  readonly files?: ImportPreset
}

const length = Joi.number().positive().max(20000)

export const deviceSchema = Joi.object<DeviceProfile>({
  id: Joi.string()
    .trim()
    .pattern(/^[a-z0-9][a-z0-9-]{0,59}$/, 'small letters, digits and dashes')
    .required(),
  version: Joi.number().integer().min(1).required(),
  name: Joi.string().trim().min(1).max(80).required(),
  hold: Joi.string()
    .valid(...HOLDS)
    .required(),
  windowMm: length.required().label('window'),
  standOffMm: length.required().label('stand-off'),
  nearMm: length.required().label('near end of the depth band'),
  farMm: length.required().label('far end of the depth band'),
  spacingMm: length.less(Joi.ref('windowMm')).required().label('spacing'),
  noiseMm: length.required().label('noise'),
  noiseGrowth: Joi.number().min(0).max(4).required().label('growth of the noise'),
  accuracyMm: length.required().label('accuracy'),
  baselineMm: Joi.number().min(0).max(5000).required().label('baseline'),
  maxIncidenceDeg: Joi.number().min(20).max(89).required().label('flattest angle'),
  framesPerSecond: Joi.number().positive().max(1000).required().label('frames a second'),
  tracking: Joi.array()
    .items(Joi.string().valid(...TRACKING))
    .min(1)
    .unique()
    .required(),
  dotsInView: Joi.number().integer().min(0).max(50).required().label('dots in view'),
  exposureRange: Joi.number().min(1.5).max(10000).required().label('range of one exposure'),
  flickers: Joi.boolean().required(),
  sunBlinds: Joi.boolean().required(),
  laserClass: Joi.string()
    .valid(...LASER_CLASSES)
    .required(),
  pieceMinMm: Joi.number().min(0).max(20000).required().label('smallest piece'),
  pieceMaxMm: Joi.number().min(0).max(20000).required().label('largest piece on a table'),
  freeMaxMm: length.required().label('largest piece'),
  tableLoadG: Joi.number().min(0).max(1e7).required().label('load of the table'),
  setUpMinutes: Joi.number().min(0).max(600).required().label('time to set up'),
  pricePerHour: Joi.number().min(0).max(1e5).required().label('price of an hour'),
  modes: Joi.array()
    .max(10)
    .items(
      Joi.object({
        name: Joi.string().trim().min(1).max(40).required(),
        spacingFactor: Joi.number().positive().max(10).required(),
        speedFactor: Joi.number().positive().max(10).required(),
        use: Joi.string().max(120).allow('').required(),
      }),
    )
    .required(),
  files: presetSchema.optional(),
})
  .custom((d: DeviceProfile, helpers) => {
    if (!(d.nearMm < d.standOffMm && d.standOffMm < d.farMm))
      return helpers.message({
        custom: `the stand-off (${d.standOffMm} mm) must lie inside the depth band (${d.nearMm} to ${d.farMm} mm)`,
      })
    if (d.pieceMinMm > d.freeMaxMm)
      return helpers.message({
        custom: `the smallest piece (${d.pieceMinMm} mm) can't be larger than the largest (${d.freeMaxMm} mm)`,
      })
    return d
  })
  .prefs({ errors: { wrap: { label: false } } })

/** @throws PARAMS with the first thing that is wrong */
export function checkDevice(value: unknown): DeviceProfile {
  const { value: device, error } = deviceSchema.validate(value, { convert: false })
  if (error) throw new GeometryError('PARAMS', `The device profile: ${error.details[0].message}.`)
  return device
}

/** Profiles as a file to hand on. */
export const devicesToJson = (devices: readonly DeviceProfile[]): string =>
  `${JSON.stringify({ holosomaDevices: 1, devices }, null, 2)}\n`

/** @throws FORMAT when the text holds no profiles, PARAMS naming the first that is wrong */
export function devicesFromJson(text: string): DeviceProfile[] {
  let value: unknown
  try {
    value = JSON.parse(text)
  } catch {
    throw new GeometryError(
      'FORMAT',
      'That file is no JSON; wanted is a file of device profiles as Holosoma writes it.',
    )
  }
  const list = (value as { devices?: unknown } | null)?.devices
  if (!Array.isArray(list) || list.length === 0)
    throw new GeometryError('FORMAT', 'There are no device profiles in that file; wanted is { "devices": [ … ] }.')
  if (list.length > 200)
    throw new GeometryError('RANGE', `That file holds ${list.length} profiles; 200 at a time are taken.`)
  return list.map(checkDevice)
}

/** Edge of the footprint at a distance. */
export const windowAtMm = (d: Pick<DeviceProfile, 'windowMm' | 'standOffMm'>, distanceMm: number): number =>
  (d.windowMm * distanceMm) / d.standOffMm

/** Spacing of one frame at a distance, square to the surface: pixels of a fixed angle (pinhole). */
export const spacingAtMm = (d: Pick<DeviceProfile, 'spacingMm' | 'standOffMm'>, distanceMm: number): number =>
  (d.spacingMm * distanceMm) / d.standOffMm

/**
 * Contrast of the pattern at a depth, 0–1: full in focus, half at the ends of the depth band, less beyond. Blur grows
 * with the difference of the inverse distances (thin lens); that the band's ends are where half is left is a rule of
 * this model, not of any device.
 */
export function patternContrast(d: Pick<DeviceProfile, 'standOffMm' | 'nearMm' | 'farMm'>, depthMm: number): number {
  const end = depthMm < d.standOffMm ? d.nearMm : d.farMm
  const blur = (1 / depthMm - 1 / d.standOffMm) / (1 / end - 1 / d.standOffMm)
  return 0.5 ** (blur * blur)
}

/** Pinhole: distance between the footprints of neighbouring pixels, 2·z·tan(FOV/2)/N. */
export const pitchMm = (distanceMm: number, fieldOfViewRad: number, pixels: number): number =>
  (2 * distanceMm * Math.tan(fieldOfViewRad / 2)) / pixels

/**
 * Range noise at a distance. δz ≈ z²·δd/(f·b), so twice as far is four times the noise (Luhmann et al., Close-Range
 * Photogrammetry).
 */
export function rangeNoiseMm(
  d: { readonly noiseMm: number; readonly standOffMm: number; readonly noiseGrowth?: number },
  distanceMm: number,
): number {
  return d.noiseMm * (distanceMm / d.standOffMm) ** (d.noiseGrowth ?? 2)
}

/** Frames of one turn. */
export const framesPerTurn = (d: Pick<DeviceProfile, 'framesPerSecond'>, secondsPerTurn: number): number =>
  Math.max(1, Math.floor(d.framesPerSecond * secondsPerTurn))

/** How far a point at a radius moves from frame to frame on a turning table: 2πr/(T·f). */
export const arcPerFrameMm = (radiusMm: number, secondsPerTurn: number, framesPerSecond: number): number =>
  (2 * Math.PI * radiusMm) / (secondsPerTurn * framesPerSecond)

/** Shots of a turn so that neighbours share `overlap` of the arc each sees. */
export const shotsPerTurn = (visibleArcDeg: number, overlap: number): number =>
  Math.ceil(360 / (visibleArcDeg * (1 - overlap)) - 1e-9)
