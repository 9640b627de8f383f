import Joi from 'joi'
import { estimateFeatures } from '../cloud/normals'
import { smoothPoints } from '../cloud/smooth'
import { stage } from '../context'
import { grouped, mm, percent } from '../findings'
import { WORKS_ON } from './inputs'
import { defineOperation } from './operation'

interface Params {
  capMm: number | null
}

/** Without a cap of its own a point may move by this many of the take's scatters. */
const CAP_SCATTERS = 3
/** More held back than this means that the surface, not its noise, was about to be moved. */
const MANY_CAPPED = 0.05

/**
 * Takes noise off a take: points move along their normals onto the surface their neighbours agree on, never farther
 * than the cap.
 */
export const smoothTake = defineOperation({
  name: 'tidy.smooth',
  version: 1,
  inputs: { take: WORKS_ON.take },
  params: Joi.object<Params>({ capMm: Joi.number().positive().max(100).allow(null).default(null) }),
  onPiece: { track: 'take', movesPoints: true, doing: ([name]) => `Tidying “${name}”` },
  estimate: ({ take }) => ({
    work: take.positions.length / 3e5,
    bytes: take.positions.byteLength * 5,
  }),
  run(inputs, params, context) {
    const cloud = inputs.take
    const n = cloud.positions.length / 3
    const capMm = params.capMm ?? Math.max(1e-6, CAP_SCATTERS * estimateFeatures(cloud, stage(context, 0, 0.3)).noiseMm)
    const s = smoothPoints(cloud, { capMm }, stage(context, 0.3, 1))
    const many = s.capped / n > MANY_CAPPED
    return {
      outputs: { take: { ...cloud, positions: s.positions } },
      figures: { points: n, capMm, rmsMm: s.rmsMm, maxMm: s.maxMm, capped: s.capped },
      findings: [
        {
          id: 'tidy.smooth',
          verdict: many ? 'doubtful' : 'sound',
          text:
            `Noise was taken off: points moved by ${mm(s.rmsMm, 3)} on the whole, none by more than ` +
            (`${mm(s.maxMm, 3)}.` +
              (many
                ? ` The cap held back ${percent(s.capped / n)}: what is left there may be relief, or noise greater than the cap.`
                : '')),
          figures: [
            { label: 'Moved, RMS', value: mm(s.rmsMm, 3) },
            { label: 'Cap', value: mm(capMm, 3) },
            { label: 'Held back by it', value: grouped(s.capped) },
          ],
        },
      ],
    }
  },
  describe: (_params, f) =>
    `Took noise off: points moved by ${mm(Number(f.rmsMm), 3)} (RMS), at most ${mm(Number(f.maxMm), 3)}`,
})
