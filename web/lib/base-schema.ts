import Joi from 'joi'
import type { Base } from '@holosoma/engine'

/** The version a writer had before it wrote; `null`: there was none. Left out, whatever stands is written over. */
export const baseSchema = Joi.object<Base>({
  stepId: Joi.number().integer().min(1).required(),
  revision: Joi.number().integer().min(0).required(),
}).allow(null)
