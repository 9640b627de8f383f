import Joi from 'joi'
import { stage } from '../context'
import { GeometryError } from '../errors'
import { grouped } from '../findings'
import { captureTake, LAMP_TAKES, ROAD_SPACING_MM, TABLETOP_DEVICE } from '../bench/capture'
import { DEMO_PIECES } from '../bench/pieces'
import { defineOperation } from './operation'

interface Params { piece: string; take: string; seed: number }

/** One take at the simulated bench. The truth never leaves through here. */
export const simulateTake = defineOperation<Params>({
  name: 'take.simulate',
  version: 1,
  inputs: {},
  params: Joi.object<Params>({ piece: Joi.string().required(), take: Joi.string().required(), seed: Joi.number().integer().min(0).default(1) }),
  estimate: () => ({ work: 30, bytes: 200e6 }),
  run(_inputs, params, context) {
    const piece = DEMO_PIECES[params.piece]
    const plan = LAMP_TAKES.find((t) => t.name === params.take)
    if (!piece || !plan) throw new GeometryError('PARAMS', `The bench knows the pieces ${Object.keys(DEMO_PIECES).join(', ')} and the takes ${LAMP_TAKES.map((t) => t.name).join(', ')}.`)
    const { cloud } = captureTake(piece, plan, TABLETOP_DEVICE, params.seed, stage(context, 0, 1), { spacingMm: ROAD_SPACING_MM })
    return {
      outputs: { take: cloud },
      figures: { points: cloud.positions.length / 3, frames: plan.steps, elevationDeg: plan.elevationDeg, device: TABLETOP_DEVICE.name, spacingMm: ROAD_SPACING_MM },
      findings: [{ id: 'take.done', verdict: 'sound', text: `“${params.take}”: ${grouped(cloud.positions.length / 3)} points from ${plan.steps} frames, table included.` }],
    }
  },
  describe: (params, figures) => `Took “${params.take}” at the simulated bench: ${grouped(Number(figures.points))} points`,
})
