import Joi from 'joi'
import { grouped, mm, percent } from '../findings'
import { indicesWhere } from '../shapes'
import { optional, WORKS_ON } from './inputs'
import { defineOperation } from './operation'
import { othersOf, soleLoss } from './sole-loss'
import { perPoint, without } from './tidy-base'

interface Params {
  normal: number[]
  offsetMm: number
  from: string
  names: string[]
  apply: boolean
}

/** Takes away what lies below a plane: on the side its normal points away from. */
export const trimPlane = defineOperation({
  name: 'tidy.trimPlane',
  version: 1,
  inputs: { take: WORKS_ON.take, others: optional(WORKS_ON.others), motions: optional(WORKS_ON.join) },
  params: Joi.object<Params>({
    normal: Joi.array()
      .items(Joi.number())
      .length(3)
      .required()
      .custom((v: number[]) => {
        if (!(Math.hypot(...v) > 0)) throw new Error('it has no direction')
        return v
      })
      .label('direction of the plane'),
    offsetMm: Joi.number().min(-1e6).max(1e6).required(),
    from: Joi.string().max(100).default('by hand'),
    /** Names in the motions: this take, then the others. */
    names: Joi.array().items(Joi.string()).max(1000).default([]),
    apply: Joi.boolean().default(true),
  }),
  onPiece: { track: 'take', doing: ([name]) => `Tidying “${name}”` },
  estimate: perPoint(1),
  run(inputs, { normal, offsetMm, names, apply }, context) {
    const cloud = inputs.take
    const { positions: p } = cloud
    const l = Math.hypot(...normal)
    const [x, y, z] = normal.map((v) => v / l) as [number, number, number]
    const below = new Uint8Array(p.length / 3)
    for (let i = 0, k = 0; i < below.length; i++, k += 3)
      if (x * p[k] + y * p[k + 1] + z * p[k + 2] < offsetMm) below[i] = 1
    const { outputs, figures } = without(
      cloud,
      below,
      apply,
      'The whole take lies below the plane; nothing would be left. Turn the plane round.',
    )
    const joined = othersOf(inputs, names)
    const loss = joined && soleLoss(cloud, indicesWhere(below, 1), joined, context)
    return {
      outputs,
      figures: { ...figures, planeX: x, planeY: y, planeZ: z, planeOffsetMm: offsetMm },
      findings: [
        {
          id: 'tidy.plane',
          verdict: 'sound',
          text:
            `${grouped(figures.cut)} points (${percent(figures.share)}) ${apply ? 'lay' : 'lie'} below ` +
            `the plane at ${mm(offsetMm, 1)}${apply ? ' and are gone' : ''}.`,
        },
        ...(loss ? [loss] : []),
      ],
    }
  },
  describe: (params, f) =>
    `Cut ${grouped(Number(f.cut))} points below a plane (${params.from}, ${percent(Number(f.share))})`,
})
