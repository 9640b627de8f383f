import Joi from 'joi'
import { stage } from '../context'
import { GeometryError } from '../errors'
import { mm } from '../findings'
import { movedPlaces } from '../linear/similarity'
import { checkHealth } from '../mesh/health'
import { curveLengthMm, nearCurve } from '../mesh/rims'
import { dropUnusedVertices, weldVertices } from '../mesh/weld'
import { pickTriangles, type TriangleMesh } from '../shapes'
import { rimSchema } from './close-hole'
import { withNewHolesClosed } from './cut-away'
import { WORKS_ON } from './inputs'
import { healthDetails, healthFigures, healthFindings, type HealthDetails } from './mend'
import { defineOperation } from './operation'
import { fitsWhereItWas } from './places-of-acts'
import { nextHalf } from '../mesh/half-edges'

interface Params {
  /** The loop as a closed curve, x, y, z of its corners. */
  loop: number[]
  /** Points of the surface so near the loop are on it; null: half an edge of the mesh. */
  withinMm: number | null
}

declare module './details' {
  interface OperationDetails {
    'mend.closeHandle': HealthDetails
  }
}

/** Cuts the surface along a loop round a handle, or through it, and closes both sides: there is one handle less. */
export const closeHandle = defineOperation({
  name: 'mend.closeHandle',
  version: 1,
  inputs: { mesh: WORKS_ON.skin },
  params: Joi.object<Params>({
    loop: rimSchema('the loop'),
    withinMm: Joi.number().positive().max(1e4).allow(null).default(null),
  }),
  onPiece: { track: 'mesh', doing: () => 'Closing a handle' },
  again: {
    moved: ({ loop, withinMm }, map) => ({
      loop: movedPlaces(map, loop),
      withinMm: withinMm === null ? null : withinMm * map.scale,
    }),
    fit: (params, _told, mesh, withinMm) => fitsWhereItWas(params, params.loop, mesh, withinMm, 'the loop'),
  },
  estimate: ({ mesh }) => ({ work: mesh.indices.length / 5e5, bytes: mesh.indices.byteLength * 12 }),
  run({ mesh }, { loop, withinMm }, context) {
    const welded = weldVertices(mesh)
    const before = checkHealth(welded, stage(context, 0, 0.3), { crossings: false })
    const on = nearCurve(welded, loop, withinMm ?? halfAnEdge(welded))
    const stays: number[] = []
    for (let f = 0; f < welded.indices.length; f += 3)
      if (!on[welded.indices[f]] && !on[welded.indices[f + 1]] && !on[welded.indices[f + 2]]) stays.push(f / 3)
    if (stays.length * 3 === welded.indices.length || stays.length === 0)
      throw new GeometryError('EMPTY', 'The surface does not run along this loop any more; nothing was closed.')
    const open = dropUnusedVertices(pickTriangles(welded, stays))
    const closed = withNewHolesClosed(welded, open, stage(context, 0.3, 0.6))
    const health = checkHealth(closed, stage(context, 0.6, 1))
    if (before.genus !== null && !(health.genus !== null && health.genus < before.genus))
      throw new GeometryError(
        'CONFLICT',
        'Cut along this loop there are as many handles as before; nothing was closed.',
      )
    return {
      outputs: { mesh: closed },
      figures: { loopMm: curveLengthMm(loop), genusBefore: before.genus ?? 'not defined', ...healthFigures(health) },
      findings: healthFindings(health),
      details: healthDetails(closed, health),
    }
  },
  describe: (_params, figures) =>
    `Closed a handle along a loop of ${mm(Number(figures.loopMm), 1)}; ${figures.genus} left`,
})

/** Half of the mean edge, mm. */
function halfAnEdge({ positions: p, indices }: TriangleMesh): number {
  let sum = 0
  for (let h = 0; h < indices.length; h++) {
    const a = indices[h] * 3,
      b = indices[nextHalf(h)] * 3
    sum += Math.hypot(p[a] - p[b], p[a + 1] - p[b + 1], p[a + 2] - p[b + 2])
  }
  return sum / Math.max(1, indices.length) / 2
}
