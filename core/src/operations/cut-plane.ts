import Joi from 'joi'
import { stage } from '../context'
import { mm, type Finding } from '../findings'
import { movedPlane } from '../linear/similarity'
import { cutByPlane } from '../mesh/cut-plane'
import { checkHealth } from '../mesh/health'
import { WORKS_ON } from './inputs'
import { healthDetails, healthFigures, healthFindings, type HealthDetails } from './mend'
import { defineOperation } from './operation'
import { fitsWhereItWas, somePlaces } from './places-of-acts'

interface Params {
  normal: number[]
  offsetMm: number
  cap: boolean
}

declare module './details' {
  interface OperationDetails {
    'mend.cutPlane': HealthDetails & {
      /** Places along the longest curve it cut, x, y, z … */
      readonly cut: readonly number[]
    }
  }
}

/** Cuts the mesh along a plane and closes it flat: a base to stand on, or what is not to be printed. */
export const cutPlane = defineOperation({
  name: 'mend.cutPlane',
  version: 1,
  inputs: { mesh: WORKS_ON.skin },
  params: Joi.object<Params>({
    normal: Joi.array().items(Joi.number()).length(3).required().label('direction of the plane'),
    offsetMm: Joi.number().min(-1e6).max(1e6).required().label('place of the plane'),
    cap: Joi.boolean().default(true),
  }),
  onPiece: { track: 'mesh', doing: () => 'Cutting along a plane' },
  again: {
    moved(params, map) {
      const length = Math.hypot(...params.normal)
      const { normal, offset } = movedPlane(
        map,
        params.normal.map((v) => v / length),
        params.offsetMm,
      )
      return { ...params, normal, offsetMm: offset }
    },
    curveOf: (details) => (details as { cut?: readonly number[] } | null)?.cut ?? [],
    fit: (params, { curve }, mesh, withinMm) => fitsWhereItWas(params, curve, mesh, withinMm, 'where it cut'),
  },
  otherSide: ({ normal, offsetMm, cap }) => ({ normal: normal.map((v) => -v), offsetMm: -offsetMm, cap }),
  estimate: ({ mesh }) => ({ work: mesh.indices.length / 5e5, bytes: mesh.indices.byteLength * 12 }),
  run({ mesh }, { normal, offsetMm, cap }, context) {
    const cut = cutByPlane(mesh, { normal, offsetMm }, cap, stage(context, 0, 0.5))
    const health = checkHealth(cut.mesh, stage(context, 0.5, 1))
    const open = cap && cut.rims.length > cut.capped
    const findings: Finding[] = open
      ? [
          {
            id: 'mend.cutPlane',
            verdict: 'doubtful',
            text: 'The cut could not be closed flat: its rims cross each other. It was left open.',
            nextMove: 'Mend the crossings first, then cut',
          },
        ]
      : []
    const [longest] = cut.rims
    return {
      outputs: { mesh: cut.mesh },
      figures: { rims: cut.rims.length, capped: cut.capped, facesAdded: cut.facesAdded, ...healthFigures(health) },
      findings: [...findings, ...healthFindings(health)],
      details: { ...healthDetails(cut.mesh, health), cut: longest ? somePlaces(longest) : [] },
    }
  },
  describe: ({ normal, offsetMm, cap }) =>
    `Cut along a plane at ${mm(offsetMm)} (${normal.map((v) => Number(v.toFixed(3))).join(' ')})` +
    (cap ? ' and closed it flat' : ', left open'),
})
