import Joi from 'joi'
import { stage } from '../context'
import { findDominantPlane, maskAbovePlane } from '../cloud/plane'
import { GeometryError } from '../errors'
import { grouped, mm, type Finding } from '../findings'
import { indicesWhere } from '../shapes'
import { findTable, judgeTable, type FoundTable } from '../tidy/table'
import { WORKS_ON } from './inputs'
import { defineOperation, type ResultOf } from './operation'
import { cutOrSelect } from './selection'
import { perPoint, standOf, withNormals } from './tidy-base'

interface Params {
  offsetMm: number
  bandMm: number
  force: boolean
  plane: number[] | null
  apply: boolean
}

/** A table the device knows does not lie there when more of the take than this is below it. */
const MAX_BELOW_KNOWN = 0.05

/** Finds the table and cuts just above it. With `apply: false` only the selection of what would go is made. */
export const trimTable = defineOperation({
  name: 'tidy.trimTable',
  version: 2,
  inputs: { take: WORKS_ON.take },
  params: Joi.object<Params>({
    offsetMm: Joi.number().min(0).max(1000).default(0.6),
    bandMm: Joi.number().positive().max(1000).default(0.5),
    /** Cut even where the plane looks like a side of the piece. */
    force: Joi.boolean().default(false),
    /**
     * Where the device's own table lies, normal and offset: used where the points do not show a table, being hidden by
     * the piece.
     */
    plane: Joi.array().items(Joi.number()).length(4).allow(null).default(null),
    apply: Joi.boolean().default(true),
  }),
  onPiece: { track: 'take', doing: ([name]) => `Tidying “${name}”` },
  estimate: perPoint(3),
  async run(inputs, params, context): Promise<ResultOf<'tidy.trimTable'>> {
    const cloud = inputs.take
    const sloped = await withNormals(cloud, stage(context, 0, 0.6))
    let found: FoundTable | null = findTable(sloped, stage(context, 0.6, 0.9), { bandMm: params.bandMm })
    if (!found && params.force) {
      const plane = findDominantPlane(sloped, context, { bandMm: params.bandMm })
      found = { plane, signs: judgeTable(cloud, plane, params.bandMm) }
    }
    let known = false
    if (!found?.signs.isTable && params.plane) {
      const given = standOf(sloped, params.plane, context).plane
      const plane = { ...given, rmsMm: 0, inliers: 0 }
      const signs = judgeTable(cloud, plane, params.bandMm)
      // A table that the device knows has nothing below it either.
      if (signs.belowShare <= MAX_BELOW_KNOWN) {
        found = { plane, signs: { ...signs, isTable: true } }
        known = true
      }
    }
    if (!found) {
      return {
        outputs: cutOrSelect(cloud, new Uint8Array(cloud.positions.length / 3).fill(1), params.apply),
        figures: { before: cloud.positions.length / 3, cut: 0, share: 0, table: false },
        findings: [
          {
            id: 'tidy.table',
            verdict: 'sound',
            text: 'There is no table in this take: hardly any points share a plane. Nothing was cut.',
          },
        ],
      }
    }
    const { plane, signs } = found
    const cutting = signs.isTable || params.force
    const mask = cutting
      ? maskAbovePlane(cloud, plane, params.offsetMm)
      : new Uint8Array(cloud.positions.length / 3).fill(1)
    const keep = indicesWhere(mask, 1)
    const n = mask.length
    if (keep.length === 0)
      throw new GeometryError(
        'EMPTY',
        'Cutting there would take everything away: the plane found is not a table under a piece. ' +
          'Lower the cut or skip it.',
      )
    const share = 1 - keep.length / n
    const findings: Finding[] = [
      {
        id: 'tidy.table',
        verdict: !cutting || share > 0.97 ? 'doubtful' : 'sound',
        text: !cutting
          ? 'No table was found: the largest flat part looks like a side of the piece (nothing of it ' +
            'reaches beyond the rest, or points lie behind it). Nothing was cut.'
          : keep.length === n
            ? 'No table is left: no point lies where it stood. Nothing was cut.'
            : share > 0.97
              ? `The table ${params.apply ? 'took' : 'takes'} ${grouped(n - keep.length)} of ${grouped(n)} ` +
                'points, nearly all of the take. Is a flat side of the piece ' +
                `${params.apply ? 'gone with it' : 'being taken for the table'}?`
              : `The table ${params.apply ? 'was' : 'is'} ${grouped(n - keep.length)} of ${grouped(n)} ` +
                `points${params.apply ? ', and is gone' : ''}; ` +
                ((known
                  ? 'too little of it shows to be found, so the cut is where the device knows it'
                  : `it is flat to ${mm(plane.rmsMm, 3)}`) +
                  '.'),
      },
    ]
    return {
      outputs: cutOrSelect(cloud, mask, params.apply),
      figures: {
        before: n,
        cut: n - keep.length,
        share,
        table: cutting,
        tableRmsMm: plane.rmsMm,
        offsetMm: params.offsetMm,
        planeX: plane.normal[0],
        planeY: plane.normal[1],
        planeZ: plane.normal[2],
        planeOffsetMm: plane.offsetMm,
      },
      findings,
    }
  },
  describe: (params, figures) =>
    figures.table === false
      ? 'Looked for a table and found none; nothing was cut'
      : `Cut ${grouped(Number(figures.cut))} points below a plane ${params.offsetMm} mm above the table`,
})
