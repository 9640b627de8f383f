import Joi from 'joi'

/* Photos for colour: a revolution of their own in every pose. Lengths in mm. */

export interface PhotoSettings {
  readonly sensorWidthMm: number
  readonly sensorHeightMm: number
  readonly pixelsWide: number
  readonly focalMm: number
  readonly fNumber: number
  /** Circle of confusion, mm: how large a blurred point may be on the sensor. */
  readonly confusionMm: number
  /** Share of the picture that neighbours have in common. */
  readonly overlap: number
  readonly megabytesEach: number
}

export const PHONE: PhotoSettings = {
  sensorWidthMm: 9.8,
  sensorHeightMm: 7.3,
  pixelsWide: 4000,
  focalMm: 6.9,
  fNumber: 1.8,
  confusionMm: 0.006,
  overlap: 0.7,
  megabytesEach: 5,
}

const positive = Joi.number().positive()

export const cameraSchema = Joi.object<PhotoSettings>({
  sensorWidthMm: positive.max(200).required().label('width of the sensor'),
  sensorHeightMm: positive.max(200).required().label('height of the sensor'),
  pixelsWide: positive.integer().max(100_000).required().label('pixels across'),
  focalMm: positive.max(2000).required().label('focal length'),
  fNumber: positive.max(128).required().label('f-number'),
  confusionMm: positive.max(1).required().label('circle of confusion'),
  overlap: Joi.number().min(0).max(0.95).required(),
  megabytesEach: positive.max(1000).required().label('megabytes a photo'),
}).prefs({ errors: { wrap: { label: false } } })

/** Beyond this focus distance everything up to infinity is sharp: H = f²/(N·c) + f. */
export const hyperfocalMm = (focalMm: number, fNumber: number, confusionMm: number): number =>
  focalMm ** 2 / (fNumber * confusionMm) + focalMm

/**
 * Near and far end of what is sharp when focused at s: s·(H−f)/(H+s−2f) and s·(H−f)/(H−s); Infinity beyond the
 * hyperfocal distance.
 */
export function depthOfFieldMm(
  focalMm: number,
  fNumber: number,
  confusionMm: number,
  distanceMm: number,
): { near: number; far: number } {
  const h = hyperfocalMm(focalMm, fNumber, confusionMm)
  return {
    near: (distanceMm * (h - focalMm)) / (h + distanceMm - 2 * focalMm),
    far: distanceMm >= h ? Infinity : (distanceMm * (h - focalMm)) / (h - distanceMm),
  }
}

/** Surface that one pixel covers: pixel pitch · distance / focal length (thin lens far from the camera). */
export const groundSampleMm = (pixelMm: number, distanceMm: number, focalMm: number): number =>
  (pixelMm * distanceMm) / focalMm

/** Dots per inch of colour on the surface: 25.4 / mm. */
export const dotsPerInch = (texelMm: number): number => 25.4 / texelMm

export interface PhotoPlan {
  readonly distanceMm: number
  readonly groundSampleMm: number
  readonly dotsPerInch: number
  readonly nearMm: number
  readonly farMm: number
  /** Whether the whole depth of the piece is sharp. */
  readonly sharp: boolean
  readonly perTurn: number
  readonly total: number
  readonly megabytes: number
}

/** Photos that a piece of a radius wants in each of its poses; the piece fills nine tenths of the shorter side. */
export function planPhotos(camera: PhotoSettings, radiusMm: number, poses: number): PhotoPlan {
  const side = Math.min(camera.sensorWidthMm, camera.sensorHeightMm)
  const distanceMm = (2 * radiusMm * camera.focalMm) / (0.9 * side) + camera.focalMm
  const { near, far } = depthOfFieldMm(camera.focalMm, camera.fNumber, camera.confusionMm, distanceMm)
  const gsd = groundSampleMm(camera.sensorWidthMm / camera.pixelsWide, distanceMm, camera.focalMm)
  // A photo sees about 120° of a round piece usefully.
  const perTurn = Math.ceil(360 / (120 * (1 - camera.overlap)) - 1e-9)
  return {
    distanceMm,
    groundSampleMm: gsd,
    dotsPerInch: dotsPerInch(gsd),
    nearMm: near,
    farMm: far,
    sharp: near <= distanceMm - radiusMm && far >= distanceMm,
    perTurn,
    total: perTurn * poses,
    megabytes: perTurn * poses * camera.megabytesEach,
  }
}
