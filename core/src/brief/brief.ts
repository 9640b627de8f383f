import Joi from 'joi'

/*
 * What is known of a piece before anything is scanned. One schema for the form and the server. Lengths in mm, mass in
 * g.
 */

export const PURPOSES = ['print', 'printScaled', 'fit', 'show', 'archive', 'check'] as const
export type Purpose = (typeof PURPOSES)[number]

export const AREA_RANKS = ['must', 'nice', 'leave', 'cut'] as const
export type AreaRank = (typeof AREA_RANKS)[number]

export const FINISHES = ['matt', 'satin', 'gloss', 'metal', 'clear'] as const
export type Finish = (typeof FINISHES)[number]

export const TONES = ['dark', 'darkish', 'middle', 'light', 'pale'] as const
export type Tone = (typeof TONES)[number]

export const TRAITS = ['round', 'slab', 'hollow', 'undercut', 'thin', 'loose'] as const
export type Trait = (typeof TRAITS)[number]

export const PERMISSIONS = ['touch', 'turn', 'coat', 'dots', 'putty'] as const
export type PermissionName = (typeof PERMISSIONS)[number]

/**
 * Where an area is: a side of the standing piece, a band of height, or what was painted on the stand-in (balls in its
 * coordinates).
 */
export const PLACES = ['whole', 'top', 'underside', 'sides', 'inside', 'band', 'painted'] as const
export type Place = (typeof PLACES)[number]

/** Questions on which the trade is of two minds (`choices.ts`). */
export const CHOICE_NAMES = [
  'secondPose',
  'matchBy',
  'dots',
  'dotsInView',
  'tidy',
  'dark',
  'clipping',
  'discs',
  'onePose',
  'fuse',
  'holes',
  'colour',
  'spacing',
] as const
export type ChoiceName = (typeof CHOICE_NAMES)[number]

export interface Area {
  readonly name: string
  readonly rank: AreaRank
  readonly place: Place
  /** For a band: heights over the base. */
  readonly fromMm?: number | null
  readonly toMm?: number | null
  /** x, y, z, radius of each stroke of the brush. */
  readonly strokes?: readonly (readonly [number, number, number, number])[]
}

export interface Zone {
  readonly name: string
  readonly material: string
  /** Share of the surface, per cent. */
  readonly sharePercent: number
  readonly finish: Finish
  readonly tone: Tone
  /** Strong print or contrast within the zone. */
  readonly contrast: boolean
}

export interface Permission {
  readonly allowed: boolean | null
  readonly by: string
  /** ISO date, or empty. */
  readonly on: string
}

export interface CalliperReading {
  readonly name: string
  readonly from: string
  readonly to: string
  readonly readingMm: number | null
  readonly uncertaintyMm: number | null
  readonly instrument: string
}

export interface Brief {
  readonly purposes: readonly Purpose[]
  readonly lengthMm: number
  readonly widthMm: number
  readonly heightMm: number
  readonly massG: number | null
  readonly detailMm: number
  readonly toleranceMm: number | null
  readonly areas: readonly Area[]
  readonly zones: readonly Zone[]
  readonly traits: readonly Trait[]
  /** A person is scanned: never coated, no bright light or laser at the eyes. */
  readonly person: boolean
  /** An original, as against a copy or a part: the owner's word is wanted for everything. */
  readonly original: boolean
  readonly permissions: Readonly<Record<PermissionName, Permission>>
  readonly callipers: readonly CalliperReading[]
  readonly temperatureC: number | null
  readonly sun: boolean
  readonly vibration: boolean
  readonly notes: string
  /** Where a person decided against what follows from the rest. Left out by briefs of an older version. */
  readonly choices?: Readonly<Partial<Record<ChoiceName, string>>>
}

const noPermission: Permission = { allowed: null, by: '', on: '' }

export const EMPTY_BRIEF: Brief = {
  purposes: ['print'],
  lengthMm: 100,
  widthMm: 100,
  heightMm: 100,
  massG: null,
  detailMm: 1,
  toleranceMm: null,
  areas: [],
  zones: [{ name: 'all over', material: '', sharePercent: 100, finish: 'matt', tone: 'middle', contrast: false }],
  traits: [],
  person: false,
  original: false,
  permissions: { touch: noPermission, turn: noPermission, coat: noPermission, dots: noPermission, putty: noPermission },
  callipers: [],
  temperatureC: null,
  sun: false,
  vibration: false,
  notes: '',
}

const short = Joi.string().trim().max(80).allow('')
const size = Joi.number().positive().max(5000)

const area = Joi.object({
  name: Joi.string().trim().min(1).max(80).required().label('name of the area'),
  rank: Joi.string()
    .valid(...AREA_RANKS)
    .required(),
  place: Joi.string()
    .valid(...PLACES)
    .required(),
  fromMm: Joi.number().min(0).max(5000).allow(null),
  toMm: Joi.when('place', {
    is: 'band',
    then: Joi.number()
      .greater(Joi.ref('fromMm'))
      .max(5000)
      .required()
      .messages({ 'number.greater': 'the band must end higher than it begins' }),
    otherwise: Joi.number().allow(null),
  }).label('end of the band'),
  strokes: Joi.array().max(4000).items(Joi.array().length(4).items(Joi.number())),
})

const zone = Joi.object({
  name: Joi.string().trim().min(1).max(80).required().label('name of the zone'),
  material: short.required(),
  sharePercent: Joi.number().positive().max(100).required().label('share of the surface').messages({
    'number.max': 'the share of the surface can be 100 % at most',
    'number.positive': 'the share of the surface must be more than 0 %',
  }),
  finish: Joi.string()
    .valid(...FINISHES)
    .required(),
  tone: Joi.string()
    .valid(...TONES)
    .required(),
  contrast: Joi.boolean().required(),
})

const permission = Joi.object({
  allowed: Joi.boolean().allow(null).required(),
  by: short.required(),
  on: Joi.string().isoDate().allow('').required().label('date'),
})

const calliper = Joi.object({
  name: Joi.string().trim().min(1).max(80).required().label('name of the distance'),
  from: short.required(),
  to: short.required(),
  readingMm: Joi.number().positive().max(5000).allow(null).required().label('reading'),
  uncertaintyMm: Joi.number().positive().max(100).allow(null).required().label('uncertainty'),
  instrument: short.required(),
})

/** Every rule of the brief; messages are sentences for the person who fills it in. */
export const briefSchema = Joi.object<Brief>({
  purposes: Joi.array()
    .items(Joi.string().valid(...PURPOSES))
    .min(1)
    .unique()
    .required()
    .label('purpose')
    .messages({ 'array.min': 'choose what the piece is scanned for' }),
  lengthMm: size.required().label('length'),
  widthMm: size.required().label('width'),
  heightMm: size.required().label('height'),
  massG: Joi.number().positive().max(2e6).allow(null).required().label('mass'),
  detailMm: Joi.number().positive().max(500).required().label('smallest detail'),
  toleranceMm: Joi.number().positive().max(100).allow(null).required().label('tolerance'),
  areas: Joi.array().max(40).items(area).required(),
  zones: Joi.array()
    .min(1)
    .max(30)
    .items(zone)
    .required()
    .messages({ 'array.min': 'say of at least one zone what its surface is like' }),
  traits: Joi.array()
    .items(Joi.string().valid(...TRAITS))
    .unique()
    .required(),
  person: Joi.boolean().required(),
  original: Joi.boolean().required(),
  permissions: Joi.object(Object.fromEntries(PERMISSIONS.map((p) => [p, permission.required()]))).required(),
  callipers: Joi.array().max(60).items(calliper).required(),
  temperatureC: Joi.number().min(-30).max(60).allow(null).required().label('temperature'),
  sun: Joi.boolean().required(),
  vibration: Joi.boolean().required(),
  notes: Joi.string().max(4000).allow('').required(),
  choices: Joi.object().pattern(Joi.string().valid(...CHOICE_NAMES), Joi.string().max(40).allow('')),
})
  .custom((brief: Brief, helpers) => {
    const largest = Math.max(brief.lengthMm, brief.widthMm, brief.heightMm)
    if (brief.detailMm >= largest)
      return helpers.message({
        custom: `the smallest detail (${brief.detailMm} mm) must be smaller than the piece (${largest} mm)`,
      })
    const shares = brief.zones.reduce((s, z) => s + z.sharePercent, 0)
    if (shares > 100.5)
      return helpers.message({
        custom: `the zones add up to ${Math.round(shares)} % of the surface; they can't be more than 100 %`,
      })
    return brief
  })
  .required()
  .prefs({ errors: { wrap: { label: false } } })

export interface BriefProblem {
  /** Path of the field, like `zones.0.sharePercent`; empty for the brief as a whole. */
  readonly path: string
  readonly message: string
}

/** All that is wrong with a brief; empty when it can stand. */
export function briefProblems(value: unknown): BriefProblem[] {
  const { error } = briefSchema.validate(value, { abortEarly: false, convert: false })
  return (error?.details ?? []).map((d) => ({ path: d.path.join('.'), message: d.message }))
}
