import Joi from 'joi'
import { GeometryError } from '../errors'
import { grouped, percent } from '../findings'
import { WORKS_ON } from './inputs'
import { defineOperation } from './operation'
import { perPoint, withNormals, without } from './tidy-base'

interface Params {
  angleDeg: number
  apply: boolean
}

/** Points seen at a glancing angle: at outlines a device mixes the edge with what lies behind it. */
export const removeGrazing = defineOperation({
  name: 'tidy.removeGrazing',
  version: 1,
  inputs: { take: WORKS_ON.take },
  params: Joi.object<Params>({
    angleDeg: Joi.number().min(30).max(90).default(78),
    apply: Joi.boolean().default(true),
  }),
  onPiece: { track: 'take', doing: ([name]) => `Tidying “${name}”` },
  estimate: perPoint(3),
  async run(inputs, params, context) {
    const cloud = inputs.take
    const { frame, frameOrigins: o, positions: p } = cloud
    if (!frame || !o)
      throw new GeometryError(
        'PARAMS',
        'This take does not know from where its points were seen; glancing ones cannot be told.',
      )
    const { normals: q } = await withNormals(cloud, context)
    const least = Math.cos((params.angleDeg * Math.PI) / 180)
    const n = frame.length
    const flat = new Uint8Array(n)
    for (let i = 0; i < n; i++) {
      const k = i * 3,
        f = frame[i] * 3
      const x = o[f] - p[k],
        y = o[f + 1] - p[k + 1],
        z = o[f + 2] - p[k + 2]
      const cosine = (x * q[k] + y * q[k + 1] + z * q[k + 2]) / (Math.hypot(x, y, z) || 1)
      if (Math.abs(cosine) < least) flat[i] = 1
    }
    const { outputs, figures } = without(
      cloud,
      flat,
      params.apply,
      'Every point of this take was seen at a glancing angle; nothing would be left.',
    )
    return {
      outputs,
      figures,
      findings: [
        {
          id: 'tidy.grazing',
          verdict: 'sound',
          text:
            `${grouped(figures.cut)} points (${percent(figures.share)}) were seen flatter than ` +
            `${params.angleDeg}°, as the mixed points of outlines ` +
            `are${params.apply ? '; they are gone' : ''}.`,
        },
      ],
    }
  },
  describe: (params, f) => `Took away ${grouped(Number(f.cut))} points seen flatter than ${params.angleDeg}°`,
})
