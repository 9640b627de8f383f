import Joi from 'joi'
import { stage } from '../context'
import { GeometryError } from '../errors'
import { mm } from '../findings'
import { movedPlaces } from '../linear/similarity'
import { fillHoles, type FillKind } from '../holes/fill-holes'
import { checkHealth } from '../mesh/health'
import { curveLengthMm, findRim, rimsOfMesh } from '../mesh/rims'
import { weldVertices } from '../mesh/weld'
import { WORKS_ON } from './inputs'
import { healthDetails, healthFigures, healthFindings, type HealthDetails } from './mend'
import { defineOperation } from './operation'

interface Params {
  /** The rim as a closed curve, x, y, z of its corners. */
  rim: number[]
  kind: FillKind
  /** How far the rim may lie from the curve. */
  withinMm: number
}

declare module './details' {
  interface OperationDetails {
    'mend.closeHole': HealthDetails
  }
}

/** A closed curve, x, y, z of its corners. */
export const rimSchema = (label: string): Joi.ArraySchema<number[]> =>
  Joi.array<number[]>()
    .items(Joi.number())
    .min(9)
    .max(3000)
    .required()
    .custom((v: number[]) => {
      if (v.length % 3 !== 0) throw new Error('it is no list of places')
      return v
    })
    .label(label)

/** Closes one hole, found by its rim. */
export const closeHole = defineOperation({
  name: 'mend.closeHole',
  // Version 2: no patch crosses the surface, sharp bends are avoided first.
  version: 2,
  inputs: { mesh: WORKS_ON.skin },
  params: Joi.object<Params>({
    rim: rimSchema('rim'),
    kind: Joi.string().valid('curved', 'flat').default('curved'),
    withinMm: Joi.number().positive().max(1e4).default(0.5),
  }),
  onPiece: { track: 'mesh', doing: () => 'Closing a hole' },
  again: {
    moved: (params, map) => ({
      ...params,
      rim: movedPlaces(map, params.rim),
      withinMm: params.withinMm * map.scale,
    }),
    fit(params, _told, mesh, withinMm) {
      const welded = weldVertices(mesh)
      const found = findRim(welded, rimsOfMesh(welded), params.rim, withinMm)
      return found.loop === null
        ? { unfit: `only ${Math.round(found.share * 100)} % of its rim is found` }
        : { ...params, withinMm }
    },
  },
  estimate: ({ mesh }) => ({ work: mesh.indices.length / 5e5, bytes: mesh.indices.byteLength * 12 }),
  run({ mesh }, { rim, kind, withinMm }, context) {
    const welded = weldVertices(mesh)
    const { loop } = findRim(welded, rimsOfMesh(welded), rim, withinMm)
    if (loop === null) throw new GeometryError('EMPTY', 'There is no hole with this rim any more; nothing was closed.')
    const filled = fillHoles(welded, { perimeterMm: Infinity, only: [loop], kind }, stage(context, 0, 0.5))
    if (filled.refused.length > 0)
      throw new GeometryError(
        'CONFLICT',
        'Whatever is laid over this hole would cross the surface; cut the surface round it wider, or leave it open.',
      )
    const health = checkHealth(filled.mesh, stage(context, 0.5, 1))
    return {
      outputs: { mesh: filled.mesh },
      figures: {
        rimMm: curveLengthMm(rim),
        facesAdded: filled.facesAdded,
        flatter: filled.flatter,
        ...healthFigures(health),
      },
      findings: healthFindings(health),
      details: healthDetails(filled.mesh, health),
    }
  },
  describe: ({ kind }, figures) =>
    `Closed a hole with a rim of ${mm(Number(figures.rimMm), 1)}` +
    (kind === 'flat'
      ? ', flat'
      : Number(figures.flatter ?? 0) > 0
        ? ', flatter than the curve, which would have crossed the surface'
        : ', following the curve'),
})
