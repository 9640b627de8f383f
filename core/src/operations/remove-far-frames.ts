import Joi from 'joi'
import { medianSpacing } from '../cloud/spacing'
import { GeometryError } from '../errors'
import { grouped, mm } from '../findings'
import type { PointCloud } from '../shapes'
import { farFrames, frameDistances } from '../tidy/far-frames'
import { WORKS_ON } from './inputs'
import { defineOperation } from './operation'
import { perPoint, without } from './tidy-base'

interface Params {
  gapMm: number | null
  apply: boolean
}

const GAP_SPACINGS = 5

/** Frames that hang apart from all others: the device had lost its place. */
export const removeFarFrames = defineOperation({
  name: 'tidy.removeFarFrames',
  version: 1,
  inputs: { take: WORKS_ON.take },
  params: Joi.object<Params>({
    gapMm: Joi.number().positive().max(1000).allow(null).default(null).label('gap'),
    apply: Joi.boolean().default(true),
  }),
  onPiece: { track: 'take', doing: ([name]) => `Tidying “${name}”` },
  estimate: perPoint(3),
  run(inputs, params) {
    const cloud = inputs.take
    if (!cloud.frame) throw new GeometryError('PARAMS', 'This take does not say which frame its points came from.')
    const gapMm = params.gapMm ?? GAP_SPACINGS * medianSpacing(cloud)
    const distances = frameDistances(cloud as PointCloud & { frame: Uint16Array })
    const far = farFrames(distances, gapMm)
    const gone = new Set(far.map((f) => f.frame))
    const { outputs, figures } = without(
      cloud,
      Uint8Array.from(cloud.frame, (f) => (gone.has(f) ? 1 : 0)),
      params.apply,
      'All frames lie apart; nothing would be left.',
    )
    return {
      outputs,
      figures: { ...figures, frames: distances.length, far: far.length, gapMm },
      findings: [
        {
          id: 'tidy.frames',
          verdict: far.length > distances.length / 4 ? 'doubtful' : 'sound',
          text:
            far.length === 0
              ? `All ${distances.length} frames lie on each other within ${mm(gapMm, 1)}.`
              : (far.length === 1
                  ? `Frame ${far[0].frame + 1} ${params.apply ? 'hung' : 'hangs'}`
                  : `Frames ${far.map((f) => f.frame + 1).join(', ')} ${params.apply ? 'hung' : 'hang'}`) +
                ' ' +
                `${far.map((f) => mm(f.apartMm, 1)).join(', ')} off the rest: ${grouped(figures.cut)} ` +
                `points${params.apply ? ', gone now' : ''}. The device had lost its place there.`,
        },
      ],
    }
  },
  describe: (_params, f) => `Took away ${Number(f.far)} frames that hung apart, ${grouped(Number(f.cut))} points`,
})
