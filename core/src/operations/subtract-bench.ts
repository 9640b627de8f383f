import Joi from 'joi'
import { estimateFeaturesShared } from '../cloud/normals'
import { stage } from '../context'
import { grouped, mm, percent } from '../findings'
import { onBench } from '../tidy/bench-reference'
import { WORKS_ON } from './inputs'
import { defineOperation } from './operation'
import { perPoint, without } from './tidy-base'

interface Params {
  withinMm: number | null
  apply: boolean
}

/** What counts as on the bench where nothing is said: this many times its scatter, and never less than a hair. */
const SIGMAS = 5
const MIN_MM = 0.25
/** A bench that takes away less than this of a take was hardly the one under it. */
const MIN_SHARE = 0.02

/** Takes away what the take of the empty bench shows too. Both must come from the same device in the same place. */
export const subtractBench = defineOperation({
  name: 'tidy.subtractBench',
  version: 1,
  inputs: { take: WORKS_ON.take, bench: WORKS_ON.bench },
  params: Joi.object<Params>({
    withinMm: Joi.number().positive().max(100).allow(null).default(null).label('distance from the bench'),
    apply: Joi.boolean().default(true),
  }),
  onPiece: { track: 'take', doing: ([name]) => `Tidying “${name}”` },
  estimate: perPoint(2),
  async run(inputs, params, context) {
    const take = inputs.take,
      bench = inputs.bench
    const { normals, spacingMm, noiseMm } = await estimateFeaturesShared(bench, stage(context, 0, 0.5))
    const withinMm = params.withinMm ?? Math.max(MIN_MM, SIGMAS * noiseMm)
    const mask = onBench(take, { ...bench, normals }, { withinMm, spacingMm }, stage(context, 0.5, 1))
    const { outputs, figures } = without(
      take,
      mask,
      params.apply,
      'Everything in this take was there without the piece: it is the empty bench itself.',
    )
    const doubtful = figures.share < MIN_SHARE
    return {
      outputs,
      figures: { ...figures, withinMm },
      findings: [
        {
          id: 'tidy.bench',
          verdict: doubtful ? 'doubtful' : 'sound',
          text: doubtful
            ? `Only ${percent(figures.share)} of the take ${params.apply ? 'lay' : 'lies'} on the empty ` +
              'bench. Were device or table moved since it was taken?'
            : `${grouped(figures.cut)} points (${percent(figures.share)}) ${params.apply ? 'lay' : 'lie'} ` +
              `within ${mm(withinMm)} of the empty bench and were there without the ` +
              `piece${params.apply ? '; they are gone' : ''}.`,
          ...(doubtful && { nextMove: 'Take the empty bench again, or cut the table by its plane' }),
        },
      ],
    }
  },
  describe: (_params, f) => `Subtracted the empty bench: ${grouped(Number(f.cut))} points`,
})
