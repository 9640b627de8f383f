import Joi from 'joi'
import { GeometryError } from '../errors'
import { mm, type Finding } from '../findings'
import { movedPlace } from '../linear/similarity'
import { nearestOnSurface } from '../measure/on-surface'
import { TriangleBvh } from '../spatial/triangle-bvh'
import { scaled } from '../measure/preset'
import { fitScale, scaleDoubt, type DistancePair } from '../measure/scale'
import { WORKS_ON } from './inputs'
import { defineOperation } from './operation'

interface DistanceParams {
  name?: string
  from: number[]
  to: number[]
  readingMm: number
  uncertaintyMm: number
}
interface Params {
  pairs: DistanceParams[]
  pickMm: number
  commonMm: number
  factor: number | null
  despite: boolean
}

const point = Joi.array().items(Joi.number()).length(3).required()

/** A distance that was read, and what the mesh says of it before and after. */
export interface ReadLength {
  readonly meshMm: number
  readonly readingMm: number
  readonly scaledMm: number
  readonly residualMm: number
}
declare module './details' {
  interface OperationDetails {
    'size.scale': { readonly lengths: readonly ReadLength[] }
  }
}

/** True size from calliper distances, or by a given factor (a unit slip undone). */
export const scaleShape = defineOperation({
  name: 'size.scale',
  version: 1,
  inputs: { shape: WORKS_ON.skinShape },
  params: Joi.object<Params>({
    pairs: Joi.array()
      .items(
        Joi.object({
          /** What the brief's list calls it. */
          name: Joi.string().trim().max(80),
          from: point,
          to: point,
          readingMm: Joi.number().positive().required(),
          uncertaintyMm: Joi.number().min(0).default(0.05),
        }),
      )
      .default([]),
    pickMm: Joi.number().min(0).default(0.05),
    commonMm: Joi.number().min(0).default(0),
    factor: Joi.number().positive().allow(null).default(null),
    /**
     * Scale even where the readings point to a slip of the unit or of a decimal place; otherwise that is refused, and
     * said.
     */
    despite: Joi.boolean().default(true),
  }),
  onPiece: { track: 'mesh', doing: () => 'Scaling' },
  again: {
    moved: (params, map) => ({
      ...params,
      pairs: params.pairs.map((p) => ({ ...p, from: movedPlace(map, p.from), to: movedPlace(map, p.to) })),
    }),
    fit(params, _told, mesh, withinMm) {
      const bvh = new TriangleBvh(mesh)
      const pairs: DistanceParams[] = []
      for (const pair of params.pairs) {
        const from = nearestOnSurface(bvh, pair.from, withinMm),
          to = nearestOnSurface(bvh, pair.to, withinMm)
        if (!from || !to)
          return { unfit: `the reading of ${mm(pair.readingMm)} was taken at a place the surface no longer has` }
        pairs.push({ ...pair, from, to })
      }
      return { ...params, pairs }
    },
    factorOf: (figures) => Number(figures.factor ?? 1),
  },
  estimate: ({ shape }) => ({
    work: shape.positions.length / 3e6,
    bytes: shape.positions.byteLength * 2,
  }),
  run(inputs, params) {
    const shape = inputs.shape
    if (params.factor !== null) {
      return {
        outputs: { shape: scaled(shape, params.factor) },
        figures: { factor: params.factor, uncertainty: 0, readings: 0 },
        findings: [
          {
            id: 'size.factor',
            verdict: 'sound',
            text: `Everything was multiplied by ${Number(params.factor.toPrecision(6))}.`,
          },
        ],
        details: { lengths: [] },
      }
    }
    if (params.pairs.length === 0)
      throw new GeometryError('PARAMS', 'Give at least one calliper distance, or a factor.')
    const fit = fitScale(params.pairs as unknown as DistancePair[], params)
    const doubt = scaleDoubt(fit.factor, fit.meshMm.length)
    if (doubt && !params.despite) {
      throw new GeometryError(
        'CONFLICT',
        `The readings are ${Number(fit.factor.toPrecision(3))} times what the mesh measures: ` +
          `${doubt}. Nothing was scaled. Is a reading off by a decimal place? If the file is in ` +
          'another unit, say so under “A wrong unit” first, and measure again.',
      )
    }
    const worstResidual = Math.max(...fit.residualMm.map(Math.abs))
    const spread = fit.residualMm.some(
      (r, i) => Math.abs(r) > 3 * Math.hypot(params.pairs[i].uncertaintyMm, params.pickMm * Math.SQRT2),
    )
    const findings: Finding[] = [
      {
        id: 'size.scale',
        verdict: doubt || spread ? 'doubtful' : 'sound',
        text: doubt
          ? `The readings say ${fit.factor.toPrecision(5)} times: ${doubt}.`
          : `Scale ${fit.factor.toFixed(5)} ± ${fit.halfWidth95.toFixed(5)} (95 %), from ` +
            `${fit.meshMm.length} ` +
            ((fit.meshMm.length === 1 ? 'reading' : 'readings') +
              (fit.meshMm.length > 1 ? `; they disagree by up to ${worstResidual.toFixed(2)} mm` : '') +
              '.'),
      },
    ]
    return {
      outputs: { shape: scaled(shape, fit.factor) },
      figures: {
        factor: fit.factor,
        uncertainty: fit.uncertainty,
        halfWidth95: fit.halfWidth95,
        readings: fit.meshMm.length,
        worstResidualMm: worstResidual,
        ...(fit.unitSlip && { unitSlip: fit.unitSlip.text }),
      },
      details: {
        lengths: fit.meshMm.map((d, i) => ({
          meshMm: d,
          readingMm: params.pairs[i].readingMm,
          scaledMm: d * fit.factor,
          residualMm: fit.residualMm[i],
        })),
      },
      findings,
    }
  },
  describe: (_params, figures) =>
    `Scaled by ${Number(Number(figures.factor).toPrecision(6))} from ${figures.readings} ` +
    `${figures.readings === 1 ? 'reading' : 'readings'}`,
})
