import Joi from 'joi'
import { stage } from '../context'
import { connectedComponents } from '../cloud/components'
import { statisticalInliersShared } from '../cloud/outliers'
import { medianSpacing } from '../cloud/spacing'
import { grouped, mm, type Finding } from '../findings'
import { boundsOf, indicesWhere, pickPoints, type PointCloud } from '../shapes'
import { WORKS_ON } from './inputs'
import { defineOperation } from './operation'
import { cutOrSelect } from './selection'

interface Params {
  gapMm: number | null
  minShare: number
  outlierNeighbours: number
  outlierSigma: number
  apply: boolean
}

/** Neighbours on a surface lie far closer than this many spacings; what hangs farther off is not the piece. */
const GAP_SPACINGS = 6

/** Drops parts that hang apart from the piece by more than a gap, and (when asked) statistical outliers. */
export const removeStrays = defineOperation({
  name: 'tidy.removeStrays',
  version: 2,
  inputs: { take: WORKS_ON.take },
  params: Joi.object<Params>({
    /** null: six spacings of the take. */
    gapMm: Joi.number().positive().max(1000).allow(null).default(null),
    /** Parts with at least this share of the largest one's points stay. */
    minShare: Joi.number().min(0).max(1).default(0.1),
    outlierNeighbours: Joi.number().integer().min(0).max(200).default(0),
    outlierSigma: Joi.number().positive().max(100).default(3),
    apply: Joi.boolean().default(true),
  }),
  onPiece: { track: 'take', doing: ([name]) => `Tidying “${name}”` },
  estimate: ({ take }) => ({
    work: take.positions.length / 1e6,
    bytes: take.positions.byteLength * 4,
  }),
  async run(inputs, params, context) {
    const cloud = inputs.take
    const gapMm = params.gapMm ?? GAP_SPACINGS * medianSpacing(cloud)
    const { label, sizes } = connectedComponents(cloud, gapMm, stage(context, 0, 0.5))
    let largest = 0
    for (const s of sizes) if (s > largest) largest = s
    const mask = Uint8Array.from(label, (l) => (sizes[l] >= largest * params.minShare ? 1 : 0))
    if (params.outlierNeighbours > 0) {
      const inliers = await statisticalInliersShared(
        cloud,
        params.outlierNeighbours,
        params.outlierSigma,
        stage(context, 0.5, 1),
      )
      for (let i = 0; i < mask.length; i++) mask[i] = mask[i] & inliers[i]
    }
    const keep = indicesWhere(mask, 1)
    const gone = mask.length - keep.length
    const parts = sizes.filter((s) => s < largest * params.minShare).length
    const keptParts = sizes.length - parts
    const harm = gone > 0 ? harmOf(cloud, mask, sizes, largest * params.minShare, params.apply) : null
    const findings: Finding[] = [
      {
        id: 'tidy.strays',
        verdict: keptParts > 1 ? 'doubtful' : 'sound',
        text:
          keptParts > 1
            ? `${keptParts} large parts lie farther than ${mm(gapMm, 1)} apart and were kept. Is one of them a prop?`
            : gone === 0
              ? 'No strays: every point hangs together with the piece.'
              : `${grouped(gone)} strays in ${grouped(parts)} floating ${parts === 1 ? 'patch' : 'patches'} ` +
                ((params.apply ? 'hung apart from the piece and are gone' : 'hang apart from the piece') +
                  `.${harm ? ` ${harm.text}` : ''}`),
      },
    ]
    return {
      outputs: cutOrSelect(cloud, mask, params.apply),
      figures: {
        before: mask.length,
        cut: gone,
        share: gone / mask.length,
        patches: parts,
        keptParts,
        gapMm,
        ...(harm && { lumps: harm.lumps, boxGrowth: harm.boxGrowth }),
      },
      findings,
    }
  },
  describe: (_params, figures) =>
    `Removed ${grouped(Number(figures.cut))} strays farther than ${mm(Number(figures.gapMm), 1)} from the piece`,
})

/** Patches of so many points would close into lumps of their own. */
const LUMP_POINTS = 12
const TELLING_GROWTH = 1.2

/** What strays would do if they were left: lumps in the skin, and a larger box to make it in. */
function harmOf(
  cloud: PointCloud,
  mask: Uint8Array,
  sizes: readonly number[],
  limit: number,
  gone: boolean,
): { text: string; lumps: number; boxGrowth: number } {
  const lumps = sizes.filter((s) => s < limit && s >= LUMP_POINTS).length
  const volume = (positions: Float32Array): number => {
    const { min, max } = boundsOf(positions)
    return [0, 1, 2].reduce((v, c) => v * Math.max(1e-3, max[c] - min[c]), 1)
  }
  const boxGrowth = volume(cloud.positions) / volume(pickPoints(cloud, indicesWhere(mask, 1)).positions)
  const told = [
    ...(lumps > 0
      ? [
          `${gone ? 'closed' : 'close'} into ${grouped(lumps)} ${lumps === 1 ? 'lump' : 'lumps'} of ` +
            'their own in the skin',
        ]
      : []),
    ...(boxGrowth > TELLING_GROWTH
      ? [`${gone ? 'made' : 'make'} the box the skin is made in ${boxGrowth.toFixed(1)} times as large`]
      : []),
  ]
  return {
    lumps,
    boxGrowth,
    text:
      told.length > 0
        ? `Left, they would ${gone ? 'have ' : ''}${told.join(' and ')}.`
        : `Left, they would only ${gone ? 'have roughened' : 'roughen'} the join a little.`,
  }
}
