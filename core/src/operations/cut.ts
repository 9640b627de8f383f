import Joi from 'joi'
import { areaOfPoints } from '../cloud/area'
import { medianSpacing } from '../cloud/spacing'
import { GeometryError } from '../errors'
import { areaText, grouped, percent } from '../findings'
import { countBits, hasBit } from '../select/bits'
import { indicesWhere, pickPoints } from '../shapes'
import { optional, WORKS_ON } from './inputs'
import { defineOperation } from './operation'
import { othersOf, soleLoss } from './sole-loss'

interface Params {
  by: string
  names: string[]
}

/** Takes away the points of a selection that was made by hand; what was painted is what goes. */
export const cutSelection = defineOperation({
  name: 'tidy.cut',
  version: 2,
  inputs: {
    take: WORKS_ON.take,
    selection: WORKS_ON.selection,
    others: optional(WORKS_ON.others),
    motions: optional(WORKS_ON.join),
  },
  params: Joi.object<Params>({
    by: Joi.string().trim().max(200).default('by hand'),
    /** Names in the motions: this take, then the others. */
    names: Joi.array().items(Joi.string()).max(1000).default([]),
  }),
  onPiece: { track: 'take', doing: ([name]) => `Cutting “${name}”` },
  estimate: ({ take }) => ({
    work: take.positions.length / 3e6,
    bytes: take.positions.byteLength * 3,
  }),
  run(inputs, { names }, context) {
    const cloud = inputs.take
    const { bits } = inputs.selection
    const n = cloud.positions.length / 3
    if (bits.length !== (n + 7) >> 3 || inputs.selection.of === 'faces')
      throw new GeometryError('SHAPE', 'The selection belongs to the take as it was before; choose again.')
    const cut = countBits(bits)
    if (cut === 0) throw new GeometryError('EMPTY', 'Nothing is chosen; there is nothing to cut.')
    if (cut >= n)
      throw new GeometryError(
        'EMPTY',
        'Everything is chosen; nothing of the take would be left. To be rid of the whole take, undo ' +
          'the step that brought it.',
      )
    const stays = new Uint8Array(n)
    for (let i = 0; i < n; i++) if (!hasBit(bits, i)) stays[i] = 1
    const goes = indicesWhere(stays, 0)
    const joined = othersOf(inputs, names)
    const loss = joined && soleLoss(cloud, goes, joined, context)
    const areaMm2 = areaOfPoints(cut, medianSpacing(cloud))
    return {
      outputs: { take: pickPoints(cloud, indicesWhere(stays, 1)) },
      figures: { before: n, cut, share: cut / n, areaMm2 },
      findings: [
        {
          id: 'tidy.cut',
          verdict: 'sound',
          text:
            `${grouped(cut)} points were cut by hand (${percent(cut / n)} of the take, about ` +
            `${areaText(areaMm2)}).`,
        },
        ...(loss ? [loss] : []),
      ],
    }
  },
  describe: (params, f) => `Cut ${grouped(Number(f.cut))} points ${params.by} (${percent(Number(f.share))})`,
})
