import Joi from 'joi'
import { checkpoint, stage } from '../context'
import { GeometryError } from '../errors'
import { areaText, mm } from '../findings'
import { evenEdgeMm } from '../mesh/sample-surface'
import { checkHealth } from '../mesh/health'
import { weldVertices } from '../mesh/weld'
import { Sculpture } from '../sculpt/sculpture'
import type { PartWay } from '../sculpt/stroke'
import { hasBit } from '../select/bits'
import { areaOfFaces } from '../select/faces'
import { facesOfRegion, type MeshRegion } from '../select/mesh-region'
import { movedRegion } from '../select/moved-region'
import { capFindings, HELD, heldTo, rawSurfaceOf, type Held } from './hand-work'
import { optional, WORKS_ON } from './inputs'
import { healthDetails, healthFigures, healthFindings, type HealthDetails } from './mend'
import { defineOperation } from './operation'
import { fitsWhereItWas, somePlaces } from './places-of-acts'
import { regionSchema } from './region-schema'

interface Params extends Held {
  region: MeshRegion
  way: PartWay
  /** How often it is smoothed over. */
  times: number
}

declare module './details' {
  interface OperationDetails {
    'mend.workPart': HealthDetails & {
      /** Some places that were moved, x, y, z … */
      readonly brushed: readonly number[]
    }
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
  inputs: { mesh: WORKS_ON.skin, takes: optional(WORKS_ON.takes), motions: optional(WORKS_ON.join) },
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
    curveOf: (details) => (details as { brushed?: readonly number[] } | null)?.brushed ?? [],
    fit: (params, { curve }, mesh, withinMm) => fitsWhereItWas(params, curve, mesh, withinMm, 'the part'),
  },
  estimate: ({ mesh, takes }) => ({
    work: mesh.indices.length / 5e5 + (takes?.length ?? 0) * 0.3,
    bytes: mesh.indices.byteLength * 12 + (takes ?? []).reduce((n, t) => n + t.positions.byteLength * 3, 0),
  }),
  run({ mesh, takes, motions }, { region, way, times, capMm, toleranceMm, reason, names, up, scale }, context) {
    const welded = weldVertices(mesh)
    const bits = facesOfRegion(welded, region)
    const areaMm2 = areaOfFaces(welded, bits)
    const list = cornersOf(welded.indices, bits)
    if (list.length === 0) throw new GeometryError('EMPTY', 'Nothing of the surface lies there; nothing was changed.')
    const cap = Math.min(capMm, toleranceMm ?? Infinity)
    const raw = rawSurfaceOf({ takes, motions }, { names, up, scale }, null, stage(context, 0, 0.3))
    const work = new Sculpture(welded, { capMm: reason === null ? cap : Infinity, raw })
    checkpoint(context, 0.4, 1, 'Working on the surface')
    work.part(list, way, SMOOTH_EDGES * evenEdgeMm(welded), times)
    const told = work.told()
    if (told.moved === 0)
      throw new GeometryError(
        'EMPTY',
        told.heldBack > 0
          ? `The cap of ${mm(cap)} holds all of that part; nothing was changed.`
          : 'That part lies so already; nothing was changed.',
      )
    const out = work.result()
    const health = checkHealth(out, stage(context, 0.7, 1))
    return {
      outputs: { mesh: out },
      figures: {
        partMm2: areaMm2,
        capMm: cap,
        forced: reason !== null,
        withTakes: raw !== null,
        ...told,
        ...healthFigures(health),
      },
      findings: [...healthFindings(health), ...capFindings(told, cap, capMm, reason, raw !== null)],
      details: { ...healthDetails(out, health), brushed: somePlaces(work.places()) },
    }
  },
  describe: ({ way, reason }, f) =>
    `${DONE[way]}, ${areaText(Number(f.partMm2))}; moved by ${mm(Number(f.mostMm), 3)} at most, ` +
    (reason === null ? `held to ${mm(Number(f.capMm))}` : `the cap left aside: ${reason}`),
})

/** The points of a set of faces, each once. */
function cornersOf(indices: Uint32Array, bits: Uint8Array): Int32Array {
  const found = new Set<number>()
  for (let f = 0; f < indices.length / 3; f++)
    if (hasBit(bits, f)) for (let c = 0; c < 3; c++) found.add(indices[f * 3 + c])
  return Int32Array.from(found)
}
