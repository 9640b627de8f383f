import Joi from 'joi'
import { stage } from '../context'
import { mm, percent } from '../findings'
import { checkHealth } from '../mesh/health'
import { splice } from '../splice/splice'
import { WORKS_ON } from './inputs'
import { healthDetails, healthFigures, healthFindings, type HealthDetails } from './mend'
import { defineOperation } from './operation'

interface Params {
  /** Points to the side on which the skin stays; the other result goes on beyond. */
  normal: number[]
  offsetMm: number
  /** How far from the cut each goes over into the other, mm. */
  bandMm: number
  /** What the other is called, for the record. */
  of: string
  /** Which result of the piece it is; null where it came from a file. */
  with: number | null
}

declare module './details' {
  interface OperationDetails {
    'mend.splice': HealthDetails
  }
}

/** A step of so much of the one before it is none any more; nor is one that bends the surface by less than 1 in 20. */
const LEFT_OF_STEP = 0.25
const LEAST_SLOPE = 0.05

/** Two surfaces of the piece made one along a plane, each going over into the other in a band along it. */
export const spliceSkin = defineOperation({
  name: 'mend.splice',
  version: 1,
  inputs: { mesh: WORKS_ON.skin, other: WORKS_ON.other },
  params: Joi.object<Params>({
    normal: Joi.array().items(Joi.number()).length(3).required().label('direction of the plane'),
    offsetMm: Joi.number().min(-1e6).max(1e6).required().label('place of the plane'),
    bandMm: Joi.number().positive().max(1e4).required().label('band'),
    of: Joi.string().max(200).default('another surface'),
    with: Joi.number().integer().allow(null).default(null),
  }),
  onPiece: { track: 'mesh', doing: () => 'Splicing two surfaces' },
  estimate: ({ mesh, other }) => ({
    work: (mesh.indices.length + other.indices.length) / 5e5,
    bytes: (mesh.indices.byteLength + other.indices.byteLength) * 12,
  }),
  run({ mesh, other }, { normal, offsetMm, bandMm }, context) {
    const length = Math.hypot(...normal)
    const unit = normal.map((v) => v / length)
    const { mesh: one, ...told } = splice(mesh, other, { normal: unit, offsetMm, bandMm }, stage(context, 0, 0.6))
    const health = checkHealth(one, stage(context, 0.6, 1))
    const isSmooth = told.stepMm <= Math.max(LEFT_OF_STEP * told.stepBeforeMm, LEAST_SLOPE * told.gapMm)
    return {
      outputs: { mesh: one },
      figures: { bandMm, ...told, ...healthFigures(health) },
      findings: [
        ...healthFindings(health),
        {
          id: 'mend.splice',
          verdict: isSmooth ? ('sound' as const) : ('doubtful' as const),
          text:
            `The two lay ${mm(told.stepBeforeMm, 3)} apart along the cut in the mean; across it ` +
            `${mm(told.stepMm, 3)} are left. ${percent(told.overlap)} of the cut had surface of both.`,
        },
      ],
      details: healthDetails(one, health),
    }
  },
  describe: ({ of, bandMm }, f) =>
    `Spliced with “${of}” along a plane, in a band of ${mm(bandMm)}: a step of ${mm(Number(f.stepBeforeMm), 3)} made ` +
    `${mm(Number(f.stepMm), 3)}`,
})
