import Joi from 'joi'
import { thinEvenly } from '../cloud/thin'
import { grouped } from '../findings'
import { pickPoints } from '../shapes'
import { cloudOf, defineOperation } from './operation'

interface Params { spacingMm: number }

export const thinTake = defineOperation<Params>({
  name: 'tidy.thin',
  version: 1,
  inputs: { take: 'cloud' },
  params: Joi.object<Params>({ spacingMm: Joi.number().positive().required() }),
  estimate: ({ take }) => ({ work: (take as { positions: Float32Array }).positions.length / 3e6, bytes: (take as { positions: Float32Array }).positions.byteLength * 3 }),
  run(inputs, params) {
    const cloud = cloudOf(inputs, 'take')
    const kept = thinEvenly(cloud, params.spacingMm)
    const before = cloud.positions.length / 3
    return {
      outputs: { take: pickPoints(cloud, kept) },
      figures: { before, cut: before - kept.length, share: 1 - kept.length / before, spacingMm: params.spacingMm },
      findings: [],
    }
  },
  describe: (params, figures) => `Thinned to ${params.spacingMm} mm: ${grouped(Number(figures.before) - Number(figures.cut))} of ${grouped(Number(figures.before))} points stay`,
})
