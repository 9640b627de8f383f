import Joi from 'joi'
import { LONGEST, MAX_UNITS_PER_LETTER, type Base } from '@holosoma/engine'

/** The version a writer had before it wrote; `null`: there was none. Left out, whatever stands is written over. */
export const baseSchema = Joi.object<Base>({
  stepId: Joi.number().integer().min(1).required(),
  revision: Joi.number().integer().min(0).required(),
}).allow(null)

/**
 * A name as it comes in. What is longer than anyone types is refused; what is a little too long is cut where it is
 * kept.
 */
export const nameSchema = (of: keyof typeof LONGEST): Joi.StringSchema =>
  Joi.string().max(LONGEST[of] * MAX_UNITS_PER_LETTER)
