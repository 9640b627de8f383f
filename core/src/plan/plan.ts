import Joi from 'joi'
import { GeometryError } from '../errors'
import { DEVICE_CLASSES } from './devices'
import { deviceSchema, type DeviceProfile } from './device-profile'
import { dotSchema, NO_DOTS, type DotSettings } from './dots'
import { cameraSchema, type PhotoSettings } from './photos'
import { standInSchema, type StandIn } from './stand-in'
import { MAX_TAKES, NEW_TAKE, takeSchema, type PlannedTake } from './takes'

/** What the session will be; versioned as a whole, and what Take works through. */
export interface Plan {
  /** The profile as it was when the plan was made. */
  readonly device: DeviceProfile
  readonly standIn: StandIn
  readonly takes: readonly PlannedTake[]
  readonly dots: DotSettings
  /** null: no colour photos. */
  readonly photos: PhotoSettings | null
  /** Coating wanted; whether it may be is the brief's to say. */
  readonly coats: number
  /** Layer of one coat, and how long it lasts. */
  readonly coatMicrometres: number
  readonly coatLifeMinutes: number
  /** Share of the piece that may clip, per cent. */
  readonly clippingPercent: number
  readonly startAt: string
}

export const planSchema = Joi.object<Plan>({
  device: deviceSchema.required(),
  standIn: standInSchema.required(),
  takes: Joi.array()
    .items(takeSchema)
    .max(MAX_TAKES)
    .unique('name')
    .required()
    .messages({
      'array.max': `a session of more than ${MAX_TAKES} takes can't be planned; plan it in two`,
      'array.unique': 'two takes have the same name',
    }),
  dots: dotSchema.required(),
  photos: cameraSchema.allow(null).required(),
  coats: Joi.number().integer().min(0).max(20).required(),
  coatMicrometres: Joi.number().min(0).max(500).required().label('layer of a coat'),
  coatLifeMinutes: Joi.number().positive().max(1e5).required().label('life of a coat'),
  clippingPercent: Joi.number().min(0).max(20).required().label('clipping'),
  startAt: Joi.string()
    .pattern(/^([01]\d|2[0-3]):[0-5]\d$/, 'hours and minutes')
    .required()
    .label('start'),
}).prefs({ errors: { wrap: { label: false } } })

/** @throws PARAMS with the first thing that is wrong */
export function checkPlan(value: unknown): Plan {
  const { value: plan, error } = planSchema.validate(value, { convert: false })
  if (error) throw new GeometryError('PARAMS', `The plan: ${error.details[0].message}.`)
  return plan
}

/** A plan to begin with: one device, the classic two takes. */
export function firstPlan(device: DeviceProfile = DEVICE_CLASSES[1], standIn: StandIn = { kind: 'box' }): Plan {
  const take = {
    ...NEW_TAKE,
    distanceMm: device.standOffMm,
    kind:
      device.hold === 'hand'
        ? ('handheld' as const)
        : device.hold === 'arm'
          ? ('arm' as const)
          : ('turntable' as const),
  }
  return {
    device,
    standIn,
    takes: [take, { ...take, name: 'upside down', pose: 'inverted' }],
    dots: NO_DOTS,
    photos: null,
    coats: 0,
    coatMicrometres: 10,
    coatLifeMinutes: 240,
    clippingPercent: 1,
    startAt: '09:30',
  }
}
