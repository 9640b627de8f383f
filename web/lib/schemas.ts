import Joi from 'joi'
import { lettersOf, LONGEST, MAX_UNITS_PER_LETTER, type Base } from '@holosoma/engine'

/** The version a writer had before it wrote; `null`: there was none. Left out, whatever stands is written over. */
export const baseSchema = Joi.object<Base>({
  stepId: Joi.number().integer().min(1).required(),
  revision: Joi.number().integer().min(0).required(),
}).allow(null)

/** A name as it comes in from a page: what is too long is refused in words, not cut in silence. */
export const nameSchema = (of: keyof typeof LONGEST): Joi.StringSchema =>
  Joi.string().custom((value: string, helpers) => {
    const letters = lettersOf(value)
    return letters > LONGEST[of] || value.length > LONGEST[of] * MAX_UNITS_PER_LETTER
      ? helpers.message({ custom: `{{#label}} has ${letters} letters; ${LONGEST[of]} are the most` })
      : value
  })
