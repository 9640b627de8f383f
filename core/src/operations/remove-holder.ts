import Joi from 'joi'
import { medianSpacing } from '../cloud/spacing'
import { stage } from '../context'
import { grouped, mm, percent } from '../findings'
import { findHolder, type HolderBy } from '../tidy/holder'
import { WORKS_ON } from './inputs'
import { defineOperation } from './operation'
import { perPoint, standOf, withNormals, without } from './tidy-base'

interface Params {
  by: HolderBy
  heightMm: number | null
  difference: number
  plane: number[] | null
  offsetMm: number
  apply: boolean
}

const WORDS: Readonly<Record<HolderBy, string>> = {
  round: 'round holder',
  height: 'holder',
  colour: 'holder of one colour',
  neck: 'foot below the neck',
}

/** Riser, putty or grip under the piece. Where it touches the piece the other take has the surface: cut generously. */
export const removeHolder = defineOperation({
  name: 'tidy.removeHolder',
  version: 1,
  inputs: { take: WORKS_ON.take },
  params: Joi.object<Params>({
    by: Joi.string().valid('round', 'height', 'colour', 'neck').default('round'),
    heightMm: Joi.number().positive().max(2000).allow(null).default(null).label('height of the holder'),
    difference: Joi.number().positive().max(100).default(14).label('colour difference'),
    /** Table under it, normal and offset; null: found in the take. */
    plane: Joi.array().items(Joi.number()).length(4).allow(null).default(null),
    offsetMm: Joi.number().min(0).max(1000).default(0.6),
    apply: Joi.boolean().default(true),
  }),
  onPiece: { track: 'take', doing: ([name]) => `Tidying “${name}”` },
  estimate: perPoint(3),
  async run(inputs, params, context) {
    const cloud = await withNormals(inputs.take, stage(context, 0, 0.5))
    const { plane, from } = standOf(cloud, params.plane, stage(context, 0.5, 0.7))
    const found = findHolder(cloud, plane, { ...params, spacingMm: medianSpacing(cloud) }, stage(context, 0.7, 1))
    const { outputs, figures } = without(
      cloud,
      found.mask,
      params.apply,
      'That would take everything away: what was found is the piece itself.',
    )
    const doubtful = figures.share > 0.5 || (params.by === 'round' && found.round!.aroundShare < 0.6)
    return {
      outputs,
      figures: {
        ...figures,
        topMm: found.topMm,
        ...(found.round && { radiusMm: found.round.radiusMm, aroundShare: found.round.aroundShare }),
        stands: from,
      },
      findings: [
        {
          id: 'tidy.holder',
          verdict: doubtful ? 'doubtful' : 'sound',
          text:
            `The ${WORDS[params.by]} ` +
            ((found.round ? `of ${mm(2 * found.round.radiusMm, 1)} across ` : '') +
              `${params.apply ? 'reached' : 'reaches'} `) +
            `${mm(found.topMm, 1)} over ` +
            `${from === 'lowest' ? 'the lowest points (no table was found)' : 'the table'}: ` +
            `${grouped(figures.cut)} points ` +
            (`(${percent(figures.share)})${params.apply ? ', gone now' : ''}.` +
              (doubtful ? ` Look whether it ${params.apply ? 'was' : 'is'} the piece’s own foot.` : '')),
        },
      ],
    }
  },
  describe: (params, f) =>
    `Cut the ${WORDS[params.by]}, ${grouped(Number(f.cut))} points up to ${mm(Number(f.topMm), 1)} over the table`,
})
