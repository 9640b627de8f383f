import Joi from 'joi'
import { stage, type RunContext } from '../context'
import { medianSpacing } from '../cloud/spacing'
import { keepEdges, type EdgeChoice, type EdgeLines } from '../crease/keep-edges'
import { GeometryError } from '../errors'
import { mm } from '../findings'
import { withEvidence } from '../fuse/evidence'
import type { FusePoints } from '../fuse/points'
import { supportOf } from '../fuse/support'
import { checkHealth } from '../mesh/health'
import { vertexNormals } from '../mesh/normals'
import { weldVertices } from '../mesh/weld'
import type { PointCloud, TriangleMesh } from '../shapes'
import type { Motions } from './artefacts'
import { optional, WORKS_ON } from './inputs'
import { healthDetails, healthFigures, healthFindings, type HealthDetails } from './mend'
import { defineOperation, ONE_NAME_EACH } from './operation'
import { edgeFigures, edgesFinding } from './skin-findings'
import { pointsUnderSkin } from './skin-takes'

interface Params {
  names: string[]
  choice: Exclude<EdgeChoice, 'off'>
  /** Which way is up in the fixed take's frame, as the skin was made with it; null: its third axis. */
  up: number[] | null
}

declare module './details' {
  interface OperationDetails {
    'skin.edges': HealthDetails
  }
}

interface Ground {
  readonly takes: readonly PointCloud[]
  readonly motions?: Motions
  readonly mesh: TriangleMesh
}

/** A skin with the edges that its takes tell of, and the takes' points as they lie on it. @throws SHAPE · PARAMS */
export function withEdges(
  ground: Ground,
  params: Params,
  context: RunContext,
): { mesh: TriangleMesh; edges: EdgeLines; points: FusePoints } {
  const points = pointsUnderSkin(ground, params, stage(context, 0, 0.1))
  return { ...keepEdges(weldVertices(ground.mesh), points, params.choice, stage(context, 0.1, 1)), points }
}

/** Puts the edges that the takes tell of into a skin that stands. */
export const skinEdges = defineOperation({
  name: 'skin.edges',
  version: 1,
  inputs: { takes: WORKS_ON.takes, motions: optional(WORKS_ON.join), mesh: WORKS_ON.skin },
  params: Joi.object<Params>({
    names: Joi.array().items(Joi.string()).min(1).unique().required().messages(ONE_NAME_EACH),
    choice: Joi.string().valid('careful', 'strong').default('careful'),
    up: Joi.array().items(Joi.number()).length(3).allow(null).default(null),
  }),
  onPiece: { track: 'mesh', doing: () => 'Setting edges' },
  estimate: ({ mesh }) => ({ work: mesh.indices.length / 1.5e5, bytes: mesh.indices.byteLength * 20 }),
  run(inputs, params, context) {
    const { originMm } = inputs.mesh
    const { mesh, edges, points } = withEdges(inputs, params, stage(context, 0, 0.8))
    if (edges.lengthMm === 0)
      throw new GeometryError(
        'EMPTY',
        edges.leftRound > 0
          ? 'Edges were seen, and none could be made sharp without faces turning over; nothing was changed.'
          : 'The points tell of no sharp edge that the skin had rounded; nothing was changed.',
      )
    const support = supportOf(mesh.positions, vertexNormals(mesh), points, stage(context, 0.8, 0.9))
    const told = { ...withEvidence(mesh, support, medianSpacing(points)), ...(originMm && { originMm }) }
    const health = checkHealth(told, stage(context, 0.9, 1))
    return {
      outputs: { mesh: told },
      figures: { faces: told.indices.length / 3, ...edgeFigures(edges), ...healthFigures(health) },
      findings: [edgesFinding(edges, params.choice), ...healthFindings(health)],
      details: healthDetails(told, health),
    }
  },
  describe: (_params, figures) => `Made ${mm(Number(figures.edgesMm), 0)} of edges sharp`,
})
