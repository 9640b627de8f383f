import Joi from 'joi'
import { GeometryError } from '../errors'
import type { TakePlan } from './bench'

const degrees = Joi.number().min(-360).max(360)

const schema = Joi.object<{ takes: TakePlan[] }>({
  takes: Joi.array().min(1).max(50).required().items(Joi.object({
    name: Joi.string().trim().min(1).max(100).pattern(/^[^/\\]+$/, 'a plain name').required(),
    pose: Joi.object({ aboutXDeg: degrees.default(0), aboutYDeg: degrees.default(0), headingDeg: degrees.default(0) }).default({ aboutXDeg: 0, aboutYDeg: 0, headingDeg: 0 }),
    steps: Joi.number().integer().min(1).max(360).required(),
    elevationDeg: Joi.number().min(-10).max(85).required(),
  })).unique('name'),
})

/** Checks a plan of takes for the simulated bench, as it comes from a file. @throws PARAMS with the first thing that is wrong */
export function checkTakePlans(value: unknown): readonly TakePlan[] {
  const { value: plan, error } = schema.validate(value)
  if (error) throw new GeometryError('PARAMS', `The plan of takes: ${error.details[0]!.message.replaceAll('"', '')}. Wanted is { "takes": [ { "name", "pose", "steps", "elevationDeg" } ] }.`)
  return plan.takes
}
