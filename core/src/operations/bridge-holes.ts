import Joi from 'joi'
import { stage } from '../context'
import { GeometryError } from '../errors'
import { mm } from '../findings'
import { bridgeHoles as bridge } from '../holes/bridge-holes'
import type { FillKind } from '../holes/fill-holes'
import { movedPlaces } from '../linear/similarity'
import { checkHealth } from '../mesh/health'
import { curveLengthMm, findRim, rimsOfMesh } from '../mesh/rims'
import { weldVertices } from '../mesh/weld'
import type { TriangleMesh } from '../shapes'
import { rimSchema } from './close-hole'
import { WORKS_ON } from './inputs'
import { healthDetails, healthFigures, healthFindings, type HealthDetails } from './mend'
import { defineOperation } from './operation'

interface Params {
  /** The two rims as closed curves, x, y, z of their corners. */
  first: number[]
  second: number[]
  kind: FillKind
  /** How far a rim may lie from its curve. */
  withinMm: number
}

declare module './details' {
  interface OperationDetails {
    'mend.bridgeHoles': HealthDetails
  }
}

const bothRims = (welded: TriangleMesh, { first, second }: Params, withinMm: number): [number, number] | null => {
  const rims = rimsOfMesh(welded)
  const found = [first, second].map((curve) => findRim(welded, rims, curve, withinMm).loop)
  return found[0] === null || found[1] === null || found[0] === found[1] ? null : [found[0], found[1]]
}

/** Closes two rims with one band between them. */
export const bridgeHoles = defineOperation({
  name: 'mend.bridgeHoles',
  version: 1,
  inputs: { mesh: WORKS_ON.skin },
  params: Joi.object<Params>({
    first: rimSchema('the first rim'),
    second: rimSchema('the second rim'),
    kind: Joi.string().valid('curved', 'flat').default('curved'),
    withinMm: Joi.number().positive().max(1e4).default(0.5),
  }),
  onPiece: { track: 'mesh', doing: () => 'Bridging two holes' },
  again: {
    moved: (params, map) => ({
      ...params,
      first: movedPlaces(map, params.first),
      second: movedPlaces(map, params.second),
      withinMm: params.withinMm * map.scale,
    }),
    fit: (params, _told, mesh, withinMm) =>
      bothRims(weldVertices(mesh), params, withinMm)
        ? { ...params, withinMm }
        : { unfit: 'one of the two rims is not found any more' },
  },
  estimate: ({ mesh }) => ({ work: mesh.indices.length / 5e5, bytes: mesh.indices.byteLength * 12 }),
  run({ mesh }, params, context) {
    const welded = weldVertices(mesh)
    const pair = bothRims(welded, params, params.withinMm)
    if (!pair) throw new GeometryError('EMPTY', 'There are no two holes with these rims any more; nothing was bridged.')
    const bridged = bridge(welded, pair, params.kind)
    const health = checkHealth(bridged.mesh, stage(context, 0.5, 1))
    return {
      outputs: { mesh: bridged.mesh },
      figures: {
        rimMm: curveLengthMm(params.first) + curveLengthMm(params.second),
        facesAdded: bridged.facesAdded,
        ...healthFigures(health),
      },
      findings: healthFindings(health),
      details: healthDetails(bridged.mesh, health),
    }
  },
  describe: (_params, figures) => `Bridged two holes with rims of ${mm(Number(figures.rimMm), 1)} together`,
})
