import Joi from 'joi'
import { stage } from '../context'
import { GeometryError } from '../errors'
import { grouped, mm } from '../findings'
import { farthestMm } from '../measure/on-surface'
import { checkHealth } from '../mesh/health'
import { meshAreaMm2 } from '../mesh/sample-surface'
import { weldVertices } from '../mesh/weld'
import { remeshOnItself } from '../remesh/on-mesh'
import { refineInFour } from '../remesh/refine'
import { facesForEdge } from '../remesh/remesh'
import { WORKS_ON } from './inputs'
import { healthDetails, healthFigures, healthFindings, pictureGone, type HealthDetails } from './mend'
import { ANYWHERE, defineOperation } from './operation'

interface RemeshParams {
  edgeMm: number
  /** Edges grow where the surface is flat. */
  largeWhereFlat: boolean
  capMm: number | null
}

declare module './details' {
  interface OperationDetails {
    'mend.remesh': HealthDetails
    'mend.refine': HealthDetails
  }
}

/** Where it is flat, edges grow to so many times their length; a triangle may lie off by this share of an edge. */
const GROWTH = 6
const MOST_OFF = 0.05
/** More triangles than a mesh here can have. */
const MOST_FACES = 2 ** 25

/** Other triangles on the same surface: as even as can be. */
export const remeshSkin = defineOperation({
  name: 'mend.remesh',
  version: 1,
  inputs: { mesh: WORKS_ON.skin },
  params: Joi.object<RemeshParams>({
    edgeMm: Joi.number().positive().max(1e4).required(),
    largeWhereFlat: Joi.boolean().default(false),
    capMm: Joi.number().positive().allow(null).default(null),
  }),
  onPiece: { track: 'mesh', doing: () => 'Laying even triangles' },
  again: { ...ANYWHERE, moved: (params, map) => ({ ...params, edgeMm: params.edgeMm * map.scale }) },
  estimate: ({ mesh }, { edgeMm }) => {
    const faces = mesh.indices.length / 3 + facesForEdge(meshAreaMm2(mesh), edgeMm)
    return { work: faces / 3e4, bytes: faces * 400 }
  },
  run({ mesh }, { edgeMm, largeWhereFlat, capMm }, context) {
    const coming = facesForEdge(meshAreaMm2(mesh), edgeMm)
    if (coming > MOST_FACES)
      throw new GeometryError(
        'PARAMS',
        `Edges of ${mm(edgeMm, 3)} would make ${grouped(coming)} triangles; ask for longer ones.`,
      )
    const grows = largeWhereFlat && { growth: GROWTH }
    const even = remeshOnItself(mesh, { edgeMm, offMm: MOST_OFF * edgeMm, ...grows }, stage(context, 0, 0.8))
    const deviationMm = farthestMm(mesh, even, edgeMm / 4, stage(context, 0.8, 0.9))
    const health = checkHealth(even, stage(context, 0.9, 1))
    return {
      outputs: { mesh: even },
      figures: { before: mesh.indices.length / 3, deviationMm, ...healthFigures(health) },
      details: healthDetails(even, health),
      findings: [
        ...healthFindings(health),
        ...pictureGone(mesh),
        ...(capMm !== null && deviationMm > capMm
          ? [
              {
                id: 'mend.cap',
                verdict: 'doubtful' as const,
                text:
                  `The brief allows the surface to move by ${mm(capMm)}; triangles of that size lie up to ` +
                  `${mm(deviationMm)} off.`,
                nextMove: 'Undo, and ask for shorter edges',
              },
            ]
          : []),
      ],
    }
  },
  describe: ({ edgeMm }, figures) =>
    `Laid even triangles with edges of ${mm(edgeMm, 2)}: ${grouped(Number(figures.before))} became ` +
    `${grouped(Number(figures.faces))}, deviation ${mm(Number(figures.deviationMm), 3)}`,
})

/** Four triangles for each one; the surface stays as it is. */
export const refineSkin = defineOperation({
  name: 'mend.refine',
  version: 1,
  inputs: { mesh: WORKS_ON.skin },
  params: Joi.object<Record<string, never>>({}),
  onPiece: { track: 'mesh', doing: () => 'Making triangles finer' },
  again: ANYWHERE,
  estimate: ({ mesh }) => ({ work: mesh.indices.length / 1.5e5, bytes: mesh.indices.byteLength * 40 }),
  run({ mesh }, _params, context) {
    if ((mesh.indices.length / 3) * 4 > MOST_FACES)
      throw new GeometryError(
        'PARAMS',
        `Four times ${grouped(mesh.indices.length / 3)} triangles are more than can be held; nothing was changed.`,
      )
    const fine = refineInFour(weldVertices(mesh))
    const health = checkHealth(fine, context)
    return {
      outputs: { mesh: fine },
      figures: { before: mesh.indices.length / 3, ...healthFigures(health) },
      findings: [...healthFindings(health), ...pictureGone(mesh)],
      details: healthDetails(fine, health),
    }
  },
  describe: (_params, figures) =>
    `Made four triangles of each: ${grouped(Number(figures.before))} became ${grouped(Number(figures.faces))}`,
})
