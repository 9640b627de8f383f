import Joi from 'joi'
import { checkpoint } from '../context'
import { GeometryError } from '../errors'
import { grouped, mm } from '../findings'
import { movedDirection, movedPlace } from '../linear/similarity'
import { BRUSHES, type Brush, type Sculpted, type Stroke } from '../sculpt/stroke'
import type { Bounds } from '../shapes'
import {
  brushedOf,
  HAND_INPUTS,
  handEstimate,
  HELD,
  heldText,
  heldTo,
  workByHand,
  type HandDetails,
  type Held,
} from './hand-work'
import { defineOperation } from './operation'
import { fitsWhereItWas } from './places-of-acts'

interface Params extends Held {
  strokes: Stroke[]
}

declare module './details' {
  interface OperationDetails {
    'mend.brush': HandDetails
  }
}

/** More dabs than this are more than one act. */
const MOST_STROKES = 400
const MOST_DABS = 20_000

const BRUSHED: Readonly<Record<Brush, string>> = {
  smooth: 'smoothed',
  fill: 'filled up',
  flatten: 'flattened',
  pull: 'pulled to the points',
}

/** Strokes of brushes on the surface, held to what the takes say. */
export const brushSkin = defineOperation({
  name: 'mend.brush',
  version: 1,
  inputs: HAND_INPUTS,
  params: Joi.object<Params>({
    strokes: Joi.array()
      .items(
        Joi.object<Stroke>({
          brush: Joi.string()
            .valid(...BRUSHES)
            .required(),
          radiusMm: Joi.number().positive().max(1e4).required().label('radius of the brush'),
          strength: Joi.number().min(0).max(1).required(),
          side: Joi.array().items(Joi.number()).length(3).allow(null).default(null),
          onto: Joi.string().valid('plane', 'cylinder').default('plane'),
          dabs: Joi.array()
            .items(Joi.number())
            .min(4)
            .max(MOST_DABS * 4)
            .required(),
        }),
      )
      .min(1)
      .max(MOST_STROKES)
      .required(),
    ...HELD,
  }),
  onPiece: { track: 'mesh', doing: () => 'Working on the surface by hand' },
  again: {
    moved: (params, map) => ({
      ...params,
      ...heldTo(params, map.scale),
      strokes: params.strokes.map((s) => ({
        ...s,
        radiusMm: s.radiusMm * map.scale,
        side: s.side && movedDirection(map, s.side),
        dabs: dabsOf(s).flatMap(([x, y, z, pressure]) => [...movedPlace(map, [x, y, z]), pressure]),
      })),
    }),
    curveOf: brushedOf,
    fit: (params, { curve }, mesh, withinMm) => fitsWhereItWas(params, curve, mesh, withinMm, 'what was brushed'),
  },
  estimate(inputs, { strokes }) {
    const { work, bytes } = handEstimate(inputs)
    return { work: work + strokes.length * 0.1, bytes }
  },
  run(inputs, { strokes, ...held }, context) {
    if (strokes.reduce((n, s) => n + s.dabs.length, 0) > MOST_DABS * 4 || strokes.some((s) => s.dabs.length % 4 !== 0))
      throw new GeometryError('PARAMS', `Keep what is brushed sooner: an act holds ${grouped(MOST_DABS)} dabs at most.`)
    const { figures, ...result } = workByHand(
      inputs,
      held,
      boxOf(strokes, held.capMm),
      (surface, ctx) =>
        strokes.forEach((stroke, i) => {
          checkpoint(ctx, i, strokes.length, 'Working on the surface')
          surface.draw(stroke)
        }),
      (told, capMm, hasTakes) => nothingDone(told, strokes, capMm, hasTakes),
      context,
    )
    return { ...result, figures: { strokes: strokes.length, ...figures } }
  },
  describe: ({ strokes, reason }, figures) =>
    `By hand: ${[...new Set(strokes.map((s) => BRUSHED[s.brush]))].join(', ')}, ${strokes.length} ` +
    `${strokes.length === 1 ? 'stroke' : 'strokes'}; ${heldText(reason, figures)}`,
})

function dabsOf({ dabs }: Stroke): [number, number, number, number][] {
  return Array.from({ length: dabs.length / 4 }, (_, i) => [
    dabs[i * 4],
    dabs[i * 4 + 1],
    dabs[i * 4 + 2],
    dabs[i * 4 + 3],
  ])
}

/** All that the strokes may reach. */
function boxOf(strokes: readonly Stroke[], capMm: number): Bounds {
  const min: [number, number, number] = [Infinity, Infinity, Infinity],
    max: [number, number, number] = [-Infinity, -Infinity, -Infinity]
  for (const s of strokes)
    for (const dab of dabsOf(s))
      for (let c = 0; c < 3; c++) {
        const reach = 2 * s.radiusMm + capMm
        min[c] = Math.min(min[c], dab[c] - reach)
        max[c] = Math.max(max[c], dab[c] + reach)
      }
  return { min, max }
}

function nothingDone({ heldBack }: Sculpted, strokes: readonly Stroke[], capMm: number, hasTakes: boolean): string {
  if (heldBack > 0) return `The cap of ${mm(capMm)} holds all that was brushed; nothing was changed.`
  if (strokes.every((s) => s.brush === 'pull'))
    return hasTakes
      ? 'There are no points of the takes near to pull the surface to; nothing was changed.'
      : 'There are no takes to pull the surface to; nothing was changed.'
  return 'The brush met no surface that had to move; nothing was changed.'
}
