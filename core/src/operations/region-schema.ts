import Joi from 'joi'

/* A part of a surface as it comes from a page, a file or an older step. */

const place = Joi.array().items(Joi.number()).length(3)
const lengthMm = Joi.number().positive().max(1e5)
const places = Joi.array().items(place).min(1).max(20_000)

/** No stage is wider or higher; what is drawn is worked out pixel by pixel. */
const MAX_STAGE_PX = 8192

/** Regions of a plane's kind face within less than this of one way. */
const MOST_ANGLE_DEG = 89

/** Places of an area that was painted elsewhere. */
const MOST_NEAR = 6000

const kinds = {
  seeds: { seeds: places.required(), reachMm: lengthMm.required().label('reach') },
  brush: {
    path: places.required(),
    radiusMm: lengthMm.required().label('radius of the brush'),
    side: place.allow(null).default(null),
  },
  lasso: {
    polygon: Joi.array().items(Joi.number()).min(6).max(40_000).required(),
    matrix: Joi.array().items(Joi.number()).length(16).required(),
    width: Joi.number().integer().min(1).max(MAX_STAGE_PX).required(),
    height: Joi.number().integer().min(1).max(MAX_STAGE_PX).required(),
    front: place.allow(null).default(null),
  },
  patch: { seeds: places.required(), angleDeg: Joi.number().min(0).max(MOST_ANGLE_DEG).required().label('angle') },
  part: { seeds: places.required() },
  near: {
    places: Joi.array()
      .items(Joi.number())
      .min(3)
      .max(MOST_NEAR * 3)
      .required(),
    reachMm: lengthMm.required().label('reach'),
  },
  evidence: { of: Joi.string().valid('measured', 'carried', 'invented').required() },
  planes: { planes: Joi.array().items(Joi.array().items(Joi.number()).length(4)).min(1).max(60).required() },
} as const

export const regionSchema = Joi.alternatives()
  .conditional('.kind', {
    switch: Object.entries(kinds).map(([kind, keys]) => ({
      is: kind,
      then: Joi.object({
        kind: Joi.valid(kind).required(),
        ...keys,
        grownMm: Joi.number().min(-1e4).max(1e4).allow(null),
      }),
    })),
    otherwise: Joi.object({ kind: Joi.valid(...Object.keys(kinds)).required() }),
  })
  .label('region')
