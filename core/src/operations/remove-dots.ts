import Joi from 'joi'
import { grouped } from '../findings'
import { findDots } from '../tidy/dots'
import { WORKS_ON } from './inputs'
import { defineOperation } from './operation'
import { perPoint, without } from './tidy-base'

interface Params {
  diameterMm: number
  apply: boolean
}

declare module './details' {
  interface OperationDetails {
    'tidy.removeDots': { readonly centres: readonly (readonly number[])[] }
  }
}

/**
 * Reference dots on piece and table. The discs are gaps afterwards: fill them at Mend, or move the dots and take again.
 */
export const removeDots = defineOperation({
  name: 'tidy.removeDots',
  version: 1,
  inputs: { take: WORKS_ON.take },
  params: Joi.object<Params>({
    diameterMm: Joi.number().positive().max(100).default(5).label('diameter of the dots'),
    apply: Joi.boolean().default(true),
  }),
  onPiece: { track: 'take', doing: ([name]) => `Tidying “${name}”` },
  estimate: perPoint(2),
  run(inputs, params, context) {
    const cloud = inputs.take
    const { dots, mask } = findDots(cloud, params.diameterMm, context)
    const { outputs, figures } = without(cloud, mask, params.apply, 'Every point would go: these are no dots.')
    return {
      outputs,
      figures: {
        ...figures,
        dots: dots.length,
      },
      details: { centres: dots.map((d) => d.centre.map((v) => Math.round(v * 100) / 100)) },
      findings: [
        {
          id: 'tidy.dots',
          verdict: 'sound',
          text:
            dots.length === 0
              ? `No dots of ${params.diameterMm} mm lie in this take.`
              : `${dots.length} ${dots.length === 1 ? 'dot' : 'dots'} of ${params.diameterMm} mm, ` +
                `${grouped(figures.cut)} points${params.apply ? ', are gone' : ''}. Their discs are gaps ` +
                `${params.apply ? 'now' : 'afterwards'}, filled flat at Mend or taken again with the dots ` +
                'moved.',
        },
      ],
    }
  },
  describe: (params, f) =>
    `Took away ${Number(f.dots)} dots of ${params.diameterMm} mm, ${grouped(Number(f.cut))} points`,
})
