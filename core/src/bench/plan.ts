import Joi from 'joi'
import { GeometryError } from '../errors'
import { NEW_TAKE, takeSchema, type PlannedTake } from '../plan/takes'

const degrees = Joi.number().min(-360).max(360)

interface ShortTake {
  readonly name: string
  readonly pose: { readonly aboutXDeg: number; readonly aboutYDeg: number; readonly headingDeg: number }
  readonly steps: number
  readonly elevationDeg: number
}

const shortTake = Joi.object<ShortTake>({
  name: Joi.string()
    .trim()
    .min(1)
    .max(100)
    .pattern(/^[^/\\]+$/, 'a plain name')
    .required(),
  pose: Joi.object({
    aboutXDeg: degrees.default(0),
    aboutYDeg: degrees.default(0),
    headingDeg: degrees.default(0),
  }).default({ aboutXDeg: 0, aboutYDeg: 0, headingDeg: 0 }),
  steps: Joi.number().integer().min(1).max(360).required(),
  elevationDeg: Joi.number().min(-10).max(85).required(),
})

const wrap = (item: Joi.Schema): Joi.ObjectSchema<{ takes: unknown[] }> =>
  Joi.object({ takes: Joi.array().min(1).max(50).required().items(item).unique('name') })

/**
 * Checks a plan of takes for the simulated bench, as it comes from a file: takes in full, as a plan holds them, or in
 * short with turns about x and y, steps and elevation. @throws PARAMS with the first thing that is wrong
 */
export function checkTakePlans(value: unknown): readonly PlannedTake[] {
  const first = (value as { takes?: { kind?: unknown }[] } | null)?.takes?.[0]
  const full = typeof first === 'object' && first !== null && first.kind !== undefined
  const { value: plan, error } = wrap(full ? takeSchema : shortTake).validate(value)
  if (error)
    throw new GeometryError(
      'PARAMS',
      `The plan of takes: ${error.details[0].message.replaceAll('"', '')}. Wanted is { "takes": [ ` +
        '{ "name", "pose", "steps", "elevationDeg" } ] }.',
    )
  if (full) return plan.takes as PlannedTake[]
  return (plan.takes as ShortTake[]).map((t) => ({
    ...NEW_TAKE,
    name: t.name,
    pose: 'custom',
    ...t.pose,
    steps: t.steps,
    elevationDeg: t.elevationDeg,
  }))
}
