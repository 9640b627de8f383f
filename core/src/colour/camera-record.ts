import Joi from 'joi'
import { motionFromRows, motionRows } from '../linear/rigid'
import type { Camera } from '../view/camera'

/** A photo's camera as files and records hold it; `motion` takes the mesh's frame, mm, to the camera's, in four rows. */
export interface CameraRecord {
  readonly file: string
  readonly widthPx: number
  readonly heightPx: number
  readonly focalPx: number
  readonly principalPx: readonly [number, number]
  readonly distortion: Camera['distortion']
  readonly motion: readonly (readonly number[])[]
}

/** More photos than a piece is taken with. */
export const MOST_PHOTOS = 2000
/** Lenses that bend more than this are no photo lenses, or the numbers are of another model. */
const MOST_BENT = 20

const pixels = Joi.number().integer().min(1).max(100_000)
const finite = Joi.number().min(-1e9).max(1e9)

export const cameraRecordSchema = Joi.object<CameraRecord>({
  file: Joi.string().min(1).max(255).required(),
  widthPx: pixels.required(),
  heightPx: pixels.required(),
  focalPx: Joi.number().positive().max(1e6).required(),
  principalPx: Joi.array().items(finite).length(2).required(),
  distortion: Joi.array().items(Joi.number().min(-MOST_BENT).max(MOST_BENT)).length(5).default([0, 0, 0, 0, 0]),
  motion: Joi.array().items(Joi.array().items(finite).length(4)).length(4).required(),
})

export const cameraRecordsSchema = Joi.array()
  .items(cameraRecordSchema)
  .min(1)
  .max(MOST_PHOTOS)
  .unique('file')
  .messages({ 'array.unique': 'Two photos of the list have the same name' })

/** @throws FORMAT where the motion is none */
export const cameraOf = (record: CameraRecord): Camera => ({
  widthPx: record.widthPx,
  heightPx: record.heightPx,
  focalPx: record.focalPx,
  principalPx: record.principalPx,
  distortion: record.distortion,
  motion: motionFromRows(record.motion, record.file),
})

export const recordOf = (file: string, { motion, ...camera }: Camera): CameraRecord => ({
  file,
  ...camera,
  motion: motionRows(motion),
})
