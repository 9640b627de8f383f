import Joi from 'joi'
import { stage, type RunContext } from '../context'
import { GeometryError } from '../errors'
import { areaText } from '../findings'
import { fillHoles } from '../holes/fill-holes'
import { checkHealth } from '../mesh/health'
import { rimsOfMesh } from '../mesh/rims'
import { dropUnusedVertices, weldVertices } from '../mesh/weld'
import { countBits, hasBit } from '../select/bits'
import { areaOfFaces, faceItems } from '../select/faces'
import { facesOfRegion, type MeshRegion } from '../select/mesh-region'
import { movedRegion } from '../select/moved-region'
import { pickTriangles, type TriangleMesh } from '../shapes'
import { WORKS_ON } from './inputs'
import { healthDetails, healthFigures, healthFindings, type HealthDetails } from './mend'
import { defineOperation } from './operation'
import { fitsWhereItWas, somePlaces } from './places-of-acts'
import { regionSchema } from './region-schema'

interface Params {
  region: MeshRegion
  /** Close what it leaves as the surface round it goes: a feature is taken off. */
  close: boolean
}

declare module './details' {
  interface OperationDetails {
    'mend.cutAway': HealthDetails & {
      /** Some places of what went, x, y, z … */
      readonly gone: readonly number[]
    }
  }
}

/** Takes a part of the surface away; the hole it leaves is closed with it, or by an act of its own. */
export const cutAway = defineOperation({
  name: 'mend.cutAway',
  // Version 2: of an outline drawn on the front, what something hides stays.
  version: 2,
  inputs: { mesh: WORKS_ON.skin },
  params: Joi.object<Params>({ region: regionSchema.required(), close: Joi.boolean().default(false) }),
  onPiece: { track: 'mesh', doing: () => 'Cutting a part out' },
  again: {
    moved: ({ region, close }, map) => ({ region: movedRegion(region, map), close }),
    curveOf: (details) => (details as { gone?: readonly number[] } | null)?.gone ?? [],
    fit: (params, { curve }, mesh, withinMm) => fitsWhereItWas(params, curve, mesh, withinMm, 'what was cut out'),
  },
  estimate: ({ mesh }) => ({ work: mesh.indices.length / 5e5, bytes: mesh.indices.byteLength * 8 }),
  run({ mesh }, { region, close }, context) {
    const bits = facesOfRegion(mesh, region)
    const n = mesh.indices.length / 3
    const gone = countBits(bits)
    if (gone === 0) throw new GeometryError('EMPTY', 'Nothing of the surface lies there; nothing to cut out.')
    if (gone === n) throw new GeometryError('EMPTY', 'The whole surface lies there; nothing would be left.')
    const stays = new Uint32Array(n - gone)
    for (let f = 0, k = 0; f < n; f++) if (!hasBit(bits, f)) stays[k++] = f
    const open = dropUnusedVertices(pickTriangles(mesh, stays))
    const rest = close ? withNewHolesClosed(mesh, open, stage(context, 0, 0.3)) : open
    const health = checkHealth(rest, stage(context, 0.3, 1))
    const areaMm2 = areaOfFaces(mesh, bits)
    return {
      outputs: { mesh: rest },
      figures: { cut: gone, cutMm2: areaMm2, ...healthFigures(health) },
      findings: healthFindings(health),
      details: { ...healthDetails(rest, health), gone: somePlaces(middlesOf(mesh, bits, gone)) },
    }
  },
  describe: ({ close }, figures) =>
    close
      ? `Took a feature of ${areaText(Number(figures.cutMm2))} off, and closed what it left`
      : `Cut a part of ${areaText(Number(figures.cutMm2))} out of the surface`,
})

/** Closes the holes that a cut made; those that were there stay. */
export function withNewHolesClosed(before: TriangleMesh, open: TriangleMesh, context: RunContext): TriangleMesh {
  const was = weldVertices(before),
    welded = weldVertices(open)
  const old = new Set(rimsOfMesh(was).map(({ vertices }) => placesOf(was, vertices)))
  const made = rimsOfMesh(welded).flatMap(({ vertices }, i) => (old.has(placesOf(welded, vertices)) ? [] : [i]))
  const { mesh, refused } = fillHoles(welded, { perimeterMm: Infinity, only: made }, context)
  if (refused.length > 0)
    throw new GeometryError(
      'CONFLICT',
      'Whatever is laid over what this would leave would cross the surface; cut a little more, or less, or only cut.',
    )
  return mesh
}

/** A rim by where its points lie, wherever it begins. */
function placesOf({ positions: p }: TriangleMesh, rim: Int32Array): string {
  return Array.from(rim, (v) => `${p[v * 3]} ${p[v * 3 + 1]} ${p[v * 3 + 2]}`)
    .sort()
    .join(';')
}

/** Middles of the faces of a set. */
function middlesOf(mesh: TriangleMesh, bits: Uint8Array, count: number): Float32Array {
  const { positions: p } = faceItems(mesh)
  const out = new Float32Array(count * 3)
  for (let f = 0, k = 0; f < p.length / 3; f++) if (hasBit(bits, f)) out.set(p.subarray(f * 3, f * 3 + 3), 3 * k++)
  return out
}
