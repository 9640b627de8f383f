import Joi from 'joi'
import { mm } from '../findings'
import { compareShapes } from '../measure/compare'
import { WORKS_ON } from './inputs'
import { defineOperation } from './operation'

/** Distance of every point of a shape to a reference. The map itself is an output beside the figures. */
export const compareWith = defineOperation({
  name: 'measure.compare',
  version: 1,
  inputs: { shape: WORKS_ON.givenShape, reference: WORKS_ON.givenShape },
  params: Joi.object<Record<string, never>>({}),
  estimate: ({ shape }) => ({
    work: shape.positions.length / 1e6,
    bytes: shape.positions.byteLength * 4,
  }),
  run(inputs, _params, context) {
    const { distanceMm, ...figures } = compareShapes(inputs.shape, inputs.reference, context)
    return {
      outputs: { distances: { kind: 'scalars', values: distanceMm } },
      figures: { points: distanceMm.length, ...figures },
      findings: [
        {
          id: 'measure.compare',
          verdict: 'sound',
          text:
            `95 of 100 points lie within ${mm(figures.p95Mm, 3)} of the reference, the mean distance is ` +
            `${mm(figures.unsignedMeanMm, 3)}, the largest ${mm(figures.maxMm)}.`,
        },
      ],
    }
  },
  describe: (_params, figures) =>
    `Compared ${Number(figures.points).toLocaleString('en')} points: 95 of 100 within ${mm(Number(figures.p95Mm), 3)}`,
})
