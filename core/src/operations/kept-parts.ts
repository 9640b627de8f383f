import Joi from 'joi'
import { GeometryError } from '../errors'
import type { MeshRegion } from '../select/mesh-region'
import { regionSchema } from './region-schema'

/** Parts of a skin that are kept by name, as geometry: so they are found again on the next skin. */
export interface KeptParts {
  readonly parts: readonly KeptPart[]
}
export interface KeptPart {
  readonly name: string
  readonly region: MeshRegion
  /** By how much the skin was made larger than its takes when it was kept. */
  readonly scale: number
}

/** More parts than this nobody finds again by their names. */
export const MAX_KEPT_PARTS = 60

const schema = Joi.object<KeptParts>({
  parts: Joi.array()
    .items(
      Joi.object({
        name: Joi.string().trim().min(1).max(80).required().label('name'),
        region: regionSchema.required(),
        scale: Joi.number().positive().max(1e6).required(),
      }),
    )
    .max(MAX_KEPT_PARTS)
    .unique('name')
    .required()
    .label('parts'),
})

/** @throws PARAMS in one sentence */
export function checkParts(content: unknown): KeptParts {
  const { value, error } = schema.validate(content, { messages: { 'array.unique': 'two parts have one name' } })
  if (error) throw new GeometryError('PARAMS', `The parts cannot be kept: ${error.message}.`)
  return value
}
