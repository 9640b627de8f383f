import Joi from 'joi'
import { medianSpacing } from '../cloud/spacing'
import { spacingForCount, thinEvenly } from '../cloud/thin'
import { GeometryError } from '../errors'
import { grouped, mm } from '../findings'
import { boundsOf, diagonal, pickPoints } from '../shapes'
import { WORKS_ON } from './inputs'
import { defineOperation } from './operation'
import { perPoint } from './tidy-base'

interface Params {
  spacingMm: number | null
  count: number | null
}

/** Even thinning, to a spacing or to about a number of points. */
export const thinTake = defineOperation({
  name: 'tidy.thin',
  version: 2,
  inputs: { take: WORKS_ON.take },
  params: Joi.object<Params>({
    spacingMm: Joi.number().positive().allow(null).default(null).label('spacing'),
    count: Joi.number().integer().min(1).max(1e9).allow(null).default(null).label('number of points'),
  })
    .oxor('spacingMm', 'count', { isPresent: (v: unknown) => v !== null && v !== undefined })
    .prefs({ errors: { wrap: { label: false } } })
    .messages({ 'object.oxor': 'Give a spacing or a number of points, not both' }),
  onPiece: { track: 'take', doing: ([name]) => `Tidying “${name}”` },
  estimate: perPoint(2),
  run(inputs, params) {
    const cloud = inputs.take
    const before = cloud.positions.length / 3
    const sizeMm = diagonal(boundsOf(cloud.positions))
    if (params.spacingMm === null && params.count === null)
      throw new GeometryError('PARAMS', 'Give a spacing or a number of points to thin to.')
    if (params.spacingMm !== null && params.spacingMm >= sizeMm)
      throw new GeometryError(
        'PARAMS',
        `A point every ${params.spacingMm} mm is more than the take is large (${mm(sizeMm, 1)}); ` +
          'nothing of it would be left.',
      )
    if (params.count !== null && params.count >= before)
      throw new GeometryError(
        'PARAMS',
        `The take has ${grouped(before)} points, no more than ${grouped(params.count)}; there is nothing to thin.`,
      )
    const spacingMm = params.spacingMm ?? spacingForCount(cloud, params.count!)
    const kept = thinEvenly(cloud, spacingMm)
    const own = medianSpacing(cloud)
    const finer = kept.length === before
    return {
      outputs: { take: pickPoints(cloud, kept) },
      figures: { before, cut: before - kept.length, share: 1 - kept.length / before, spacingMm },
      findings: [
        {
          id: 'tidy.thin',
          verdict: finer ? 'doubtful' : 'sound',
          text: finer
            ? `The points lie ${mm(own)} apart already, so that a spacing of ${mm(spacingMm)} takes none away.`
            : `${grouped(kept.length)} of ${grouped(before)} points stay, one every ${mm(spacingMm)}; what ` +
              'is finer than that is no longer in them. The take as it was stays in the ledger.',
        },
      ],
    }
  },
  describe: (_params, figures) =>
    `Thinned to ${mm(Number(figures.spacingMm))}: ` +
    `${grouped(Number(figures.before) - Number(figures.cut))} of ` +
    `${grouped(Number(figures.before))} points stay`,
})
