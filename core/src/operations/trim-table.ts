import Joi from 'joi'
import { stage, type RunContext } from '../context'
import { estimateFeatures } from '../cloud/normals'
import { findDominantPlane, judgeTable, maskAbovePlane, type Plane } from '../cloud/plane'
import { GeometryError, isGeometryError } from '../errors'
import { grouped, mm, type Finding } from '../findings'
import { indicesWhere, type PointCloud } from '../shapes'
import { cloudOf, defineOperation, type OperationResult } from './operation'
import { cutOrSelect } from './selection'

interface Params { offsetMm: number; bandMm: number; force: boolean; apply: boolean }

/** Finds the table and cuts just above it. With `apply: false` only the selection of what would go is made. */
export const trimTable = defineOperation<Params>({
  name: 'tidy.trimTable',
  version: 1,
  inputs: { take: 'cloud' },
  params: Joi.object<Params>({
    offsetMm: Joi.number().min(0).max(1000).default(0.6),
    bandMm: Joi.number().positive().max(1000).default(0.5),
    /** Cut even where the plane looks like a side of the piece. */
    force: Joi.boolean().default(false),
    apply: Joi.boolean().default(true),
  }),
  estimate: ({ take }) => ({ work: (take as { positions: Float32Array }).positions.length / 1e6, bytes: (take as { positions: Float32Array }).positions.byteLength * 3 }),
  run(inputs, params, context): OperationResult {
    const cloud = cloudOf(inputs, 'take')
    const normals = cloud.normals ?? estimateFeatures(cloud, stage(context, 0, 0.6)).normals
    const plane = dominantPlane({ ...cloud, normals }, params, stage(context, 0.6, 0.9))
    if (!plane) {
      return {
        outputs: cutOrSelect(cloud, new Uint8Array(cloud.positions.length / 3).fill(1), params.apply),
        figures: { before: cloud.positions.length / 3, cut: 0, share: 0, table: false },
        findings: [{ id: 'tidy.table', verdict: 'sound', text: 'There is no table in this take: hardly any points share a plane. Nothing was cut.' }],
      }
    }
    const signs = judgeTable(cloud, plane, params.bandMm)
    const cutting = signs.isTable || params.force
    const mask = cutting ? maskAbovePlane(cloud, plane, params.offsetMm) : new Uint8Array(cloud.positions.length / 3).fill(1)
    const keep = indicesWhere(mask, 1)
    const n = mask.length
    if (keep.length === 0) throw new GeometryError('EMPTY', 'Cutting there would take everything away: the plane found is not a table under a piece. Lower the cut or skip it.')
    const share = 1 - keep.length / n
    const findings: Finding[] = [{
      id: 'tidy.table', verdict: !cutting || share > 0.97 ? 'doubtful' : 'sound',
      text: !cutting
        ? 'No table was found: the largest flat part looks like a side of the piece (nothing of it reaches beyond the rest, or points lie behind it). Nothing was cut.'
        : share > 0.97
        ? `The table takes ${grouped(n - keep.length)} of ${grouped(n)} points, nearly all of the take. Is a flat side of the piece being taken for the table?`
        : `The table is ${grouped(n - keep.length)} of ${grouped(n)} points; it is flat to ${mm(plane.rmsMm, 3)}.`,
    }]
    return {
      outputs: cutOrSelect(cloud, mask, params.apply),
      figures: {
        before: n, cut: n - keep.length, share, table: cutting, tableRmsMm: plane.rmsMm, offsetMm: params.offsetMm,
        planeX: plane.normal[0], planeY: plane.normal[1], planeZ: plane.normal[2], planeOffsetMm: plane.offsetMm,
      },
      findings,
    }
  },
  describe: (params, figures) => figures.table === false ? 'Looked for a table and found none; nothing was cut' : `Cut ${grouped(Number(figures.cut))} points below a plane ${params.offsetMm} mm above the table`,
})

/** null where there is no plane to speak of, unless a cut was asked for all the same. */
function dominantPlane(cloud: PointCloud, params: Params, context: RunContext): Plane | null {
  try {
    return findDominantPlane(cloud, context, { bandMm: params.bandMm })
  } catch (error) {
    if (isGeometryError(error) && error.code === 'DEGENERATE' && !params.force) return null
    throw error
  }
}
