import Joi from 'joi'
import { MOST_PHOTOS } from '../colour/camera-record'
import type { TableAxis } from './try-turns'

/** A place of the surface, mm, and where a photo shows it, pixels from its upper left corner. */
export interface PickRecord {
  readonly px: readonly [number, number]
  readonly at: readonly [number, number, number]
}

/** Picks on one photo of a turn, and what is known of the turn; what is left out is found. */
export interface PicksRecord {
  readonly file: string
  readonly pairs: readonly PickRecord[]
  readonly turn: { readonly axis?: TableAxis; readonly stepDeg?: number }
  /** Pixels of focal length, where they are known. */
  readonly focalPx?: number
  /** The photos of the turn in the order they were taken; all of the folder by name, where they are not told. */
  readonly photos?: readonly string[]
}

const MOST_PICKS = 60
const number = Joi.number().min(-1e9).max(1e9)
const three = Joi.array().items(number).length(3)
const file = Joi.string().min(1).max(255)

export const picksSchema = Joi.array()
  .items(Joi.object({ px: Joi.array().items(number).length(2).required(), at: three.required() }))
  .min(1)
  .max(MOST_PICKS)

/** One turn, or several in a list. */
export const picksRecordSchema = Joi.object<PicksRecord>({
  file: file.required(),
  pairs: picksSchema.required(),
  turn: Joi.object({
    axis: Joi.object({
      at: three.required(),
      direction: three
        .required()
        .custom((v: number[], helpers) => (Math.hypot(...v) > 0 ? v : helpers.error('any.invalid'))),
    }),
    stepDeg: Joi.number().min(-180).max(180).invalid(0),
  }).default({}),
  focalPx: Joi.number().positive().max(1e6),
  photos: Joi.array().items(file).min(2).max(MOST_PHOTOS).unique(),
})
