import Joi from 'joi'
import { medianSpacing } from '../cloud/spacing'
import { thinByCurvature } from '../cloud/thin-curved'
import { grouped, mm } from '../findings'
import { WORKS_ON } from './inputs'
import { defineOperation } from './operation'
import { cutOrSelect } from './selection'

interface Params {
  lossMm: number
  coarsestMm: number | null
  apply: boolean
}

/** Flat places may thin out to this many spacings. */
const COARSEST_SPACINGS = 10

/** Thins flat places and keeps the points of edges and relief, by what it may cost in accuracy. */
export const thinTakeByCurvature = defineOperation({
  name: 'tidy.thinCurved',
  version: 1,
  inputs: { take: WORKS_ON.take },
  params: Joi.object<Params>({
    lossMm: Joi.number().positive().max(100).required(),
    coarsestMm: Joi.number().positive().max(1000).allow(null).default(null),
    apply: Joi.boolean().default(true),
  }),
  onPiece: { track: 'take', doing: ([name]) => `Tidying “${name}”` },
  estimate: ({ take }) => ({
    work: take.positions.length / 5e5,
    bytes: take.positions.byteLength * 5,
  }),
  run(inputs, params, context) {
    const cloud = inputs.take
    const n = cloud.positions.length / 3
    const spacing = medianSpacing(cloud)
    const { kept, predictedLossMm } = thinByCurvature(
      cloud,
      spacing,
      params.coarsestMm ?? COARSEST_SPACINGS * spacing,
      params.lossMm,
      context,
    )
    const mask = new Uint8Array(n)
    for (const i of kept) mask[i] = 1
    const cut = n - kept.length
    return {
      outputs: cutOrSelect(cloud, mask, params.apply),
      figures: { before: n, cut, share: cut / n, predictedLossMm },
      findings: [
        {
          id: 'tidy.thinCurved',
          verdict: predictedLossMm > params.lossMm * 1.01 ? 'doubtful' : 'sound',
          text:
            `${grouped(kept.length)} of ${grouped(n)} points say the same within ` +
            `${mm(predictedLossMm, 3)}; edges and relief keep ` +
            ('theirs.' +
              (predictedLossMm > params.lossMm * 1.01
                ? ' The sharpest places are coarser than the loss allows already as they were taken.'
                : '')),
          figures: [
            {
              label: 'Predicted loss',
              value: mm(predictedLossMm, 3),
              rule: 'how far a facet between the points that stay stands off the surface, by the curvature measured',
            },
          ],
        },
      ],
    }
  },
  describe: (_params, f) =>
    `Thinned by curvature: ${grouped(Number(f.before) - Number(f.cut))} of ` +
    `${grouped(Number(f.before))} points stay, predicted loss ${mm(Number(f.predictedLossMm), 3)}`,
})
