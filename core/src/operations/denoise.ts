import Joi from 'joi'
import { stage } from '../context'
import { mm, percent, type Finding } from '../findings'
import { denoise, EDGE_WAYS, type EdgeWay } from '../denoise/denoise'
import { checkHealth } from '../mesh/health'
import { WORKS_ON } from './inputs'
import { healthDetails, healthFigures, healthFindings, type HealthDetails } from './mend'
import { ANYWHERE, defineOperation } from './operation'

interface Params {
  /** No point moves farther than this, mm. */
  capMm: number
  edges: EdgeWay
  /** What the brief allows any act of mending to move the surface; null: nothing is said. */
  toleranceMm: number | null
}

declare module './details' {
  interface OperationDetails {
    'mend.denoise': HealthDetails
  }
}

const WAYS: Readonly<Record<EdgeWay, string>> = {
  rounded: 'edges rounded with it',
  kept: 'edges kept',
  true: 'planes and cylinders laid true',
}

/** Takes noise off the whole surface, never farther than so much. */
export const denoiseSkin = defineOperation({
  name: 'mend.denoise',
  // Version 2: cylinders are laid true as planes are.
  version: 2,
  inputs: { mesh: WORKS_ON.skin },
  params: Joi.object<Params>({
    capMm: Joi.number().positive().max(1e3).required(),
    edges: Joi.string()
      .valid(...EDGE_WAYS)
      .default('kept'),
    toleranceMm: Joi.number().positive().allow(null).default(null),
  }),
  onPiece: { track: 'mesh', doing: () => 'Taking noise off' },
  again: { ...ANYWHERE, moved: (params, map) => ({ ...params, capMm: params.capMm * map.scale }) },
  estimate: ({ mesh }) => ({ work: mesh.indices.length / 1.2e5, bytes: mesh.indices.byteLength * 30 }),
  run({ mesh }, { capMm, edges, toleranceMm }, context) {
    // The brief's tolerance is the cap of whatever mends.
    const cap = Math.min(capMm, toleranceMm ?? Infinity)
    const { mesh: calm, radiiMm: _radii, ...told } = denoise(mesh, { capMm: cap, edges }, stage(context, 0, 0.7))
    const health = checkHealth(calm, stage(context, 0.7, 1))
    const capped: Finding[] =
      cap < capMm
        ? [
            {
              id: 'mend.cap',
              verdict: 'doubtful',
              text: `The brief allows the surface to move by ${mm(cap)}, not by ${mm(capMm)}; no point moved farther.`,
              nextMove: 'Widen the tolerance in the brief, if a smoother surface matters more',
            },
          ]
        : []
    return {
      outputs: { mesh: calm },
      figures: { capMm: cap, ...told, ...healthFigures(health) },
      findings: [...healthFindings(health), ...capped],
      details: healthDetails(calm, health),
    }
  },
  describe: ({ edges }, f) =>
    `Took noise off, ${WAYS[edges]}: ${mm(Number(f.sigmaMm), 4)} → ${mm(Number(f.leftMm), 4)}, moved by ` +
    `${mm(Number(f.meanMm), 3)} in the mean and ${mm(Number(f.mostMm), 3)} at most` +
    (Number(f.planes) + Number(f.cylinders ?? 0) > 0
      ? `; ${Number(f.planes)} planes and ${Number(f.cylinders ?? 0)} cylinders, ${percent(Number(f.laidShare))} of the surface`
      : ''),
})
