import Joi from 'joi'
import { checkpoint } from '../context'
import { GeometryError } from '../errors'
import { areaText, mm } from '../findings'
import { evenEdgeMm } from '../mesh/sample-surface'
import { weldVertices } from '../mesh/weld'
import type { PartWay } from '../sculpt/stroke'
import { hasBit } from '../select/bits'
import { areaOfFaces } from '../select/faces'
import { facesOfRegion, type MeshRegion } from '../select/mesh-region'
import { movedRegion } from '../select/moved-region'
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
import { regionSchema } from './region-schema'

interface Params extends Held {
  region: MeshRegion
  way: PartWay
  /** How often it is smoothed over. */
  times: number
}

declare module './details' {
  interface OperationDetails {
    'mend.workPart': HandDetails
  }
}

/** Smoothing a part goes over it as a brush so many edges wide does. */
const SMOOTH_EDGES = 6

const DONE: Readonly<Record<PartWay, string>> = {
  plane: 'Laid a part flat',
  cylinder: 'Laid a part onto a cylinder',
  smooth: 'Smoothed a part',
}

/** A part of the surface laid onto its plane or cylinder, or smoothed, at once; held to what the takes say. */
export const workPart = defineOperation({
  name: 'mend.workPart',
  version: 1,
  inputs: HAND_INPUTS,
  params: Joi.object<Params>({
    region: regionSchema.required(),
    way: Joi.string().valid('plane', 'cylinder', 'smooth').required(),
    times: Joi.number().integer().min(1).max(100).default(5),
    ...HELD,
  }),
  onPiece: { track: 'mesh', doing: () => 'Working on a part of the surface' },
  again: {
    moved: (params, map) => ({
      ...params,
      ...heldTo(params, map.scale),
      region: movedRegion(params.region, map),
    }),
    curveOf: brushedOf,
    fit: (params, { curve }, mesh, withinMm) => fitsWhereItWas(params, curve, mesh, withinMm, 'the part'),
  },
  estimate: handEstimate,
  run({ mesh, ...ground }, { region, way, times, ...held }, context) {
    const welded = weldVertices(mesh)
    const bits = facesOfRegion(welded, region)
    const list = cornersOf(welded.indices, bits)
    if (list.length === 0) throw new GeometryError('EMPTY', 'Nothing of the surface lies there; nothing was changed.')
    const { figures, ...result } = workByHand(
      { mesh: welded, ...ground },
      held,
      null,
      (surface, ctx) => {
        checkpoint(ctx, 0, 1, 'Working on the surface')
        surface.part(list, way, SMOOTH_EDGES * evenEdgeMm(welded), times)
      },
      ({ heldBack }, capMm) =>
        heldBack > 0
          ? `The cap of ${mm(capMm)} holds all of that part; nothing was changed.`
          : 'That part lies so already; nothing was changed.',
      context,
    )
    return { ...result, figures: { partMm2: areaOfFaces(welded, bits), ...figures } }
  },
  describe: ({ way, reason }, figures) =>
    `${DONE[way]}, ${areaText(Number(figures.partMm2))}; ${heldText(reason, figures)}`,
})

/** The points of a set of faces, each once. */
function cornersOf(indices: Uint32Array, bits: Uint8Array): Int32Array {
  const found = new Set<number>()
  for (let f = 0; f < indices.length / 3; f++)
    if (hasBit(bits, f)) for (let c = 0; c < 3; c++) found.add(indices[f * 3 + c])
  return Int32Array.from(found)
}
