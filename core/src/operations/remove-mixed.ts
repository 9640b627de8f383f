import Joi from 'joi'
import { medianSpacing } from '../cloud/spacing'
import { stage } from '../context'
import { GeometryError } from '../errors'
import { grouped, percent } from '../findings'
import type { PointCloud } from '../shapes'
import { mixedPoints } from '../tidy/seen-through'
import { WORKS_ON } from './inputs'
import { defineOperation } from './operation'
import { perPoint, without } from './tidy-base'

interface Params {
  apply: boolean
}

/** Points that other frames saw through: at an outline a device mixes the edge with what lies behind it. */
export const removeMixed = defineOperation({
  name: 'tidy.removeMixed',
  version: 1,
  inputs: { take: WORKS_ON.take },
  params: Joi.object<Params>({ apply: Joi.boolean().default(true) }),
  onPiece: { track: 'take', doing: ([name]) => `Tidying “${name}”` },
  estimate: perPoint(4),
  run(inputs, params, context) {
    const cloud = inputs.take
    if (!cloud.frame || !cloud.frameOrigins)
      throw new GeometryError(
        'PARAMS',
        'This take does not know from where its points were seen; what was seen through cannot be told.',
      )
    const mask = mixedPoints(
      cloud as PointCloud & { frame: Uint16Array; frameOrigins: Float64Array },
      medianSpacing(cloud),
      stage(context, 0, 1),
    )
    const { outputs, figures } = without(
      cloud,
      mask,
      params.apply,
      'Every point was seen through; the frames’ places must be wrong.',
    )
    return {
      outputs,
      figures,
      findings: [
        {
          id: 'tidy.mixed',
          verdict: figures.share > 0.05 ? 'doubtful' : 'sound',
          text:
            figures.cut === 0
              ? 'No point hangs where another frame saw through.'
              : `${grouped(figures.cut)} points (${percent(figures.share, 2)}) ` +
                `${params.apply ? 'hung' : 'hang'} alone where other frames saw what lies behind: mixed ` +
                'points of ' +
                (`outlines${params.apply ? ', gone now' : ''}.` +
                  (figures.share > 0.05 ? ' That is many: do the frames lie on each other?' : '')),
        },
      ],
    }
  },
  describe: (_params, f) => `Took away ${grouped(Number(f.cut))} points that other frames saw through`,
})
