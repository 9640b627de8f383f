import Joi from 'joi'
import { stage, type RunContext } from '../context'
import { GeometryError } from '../errors'
import { areaText } from '../findings'
import { fillHoles } from '../holes/fill-holes'
import { movedDirection, movedPlace, movedPlane, type Similarity } from '../linear/similarity'
import { checkHealth } from '../mesh/health'
import { rimsOfMesh } from '../mesh/rims'
import { dropUnusedVertices, weldVertices } from '../mesh/weld'
import { countBits, hasBit } from '../select/bits'
import { areaOfFaces, faceItems } from '../select/faces'
import { facesOfRegion, type MeshRegion } from '../select/mesh-region'
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

function movedRegion(region: MeshRegion, map: Similarity): MeshRegion {
  switch (region.kind) {
    case 'seeds':
      return { ...region, seeds: region.seeds.map((s) => movedPlace(map, s)), reachMm: region.reachMm * map.scale }
    case 'brush':
      return {
        ...region,
        path: region.path.map((s) => movedPlace(map, s)),
        radiusMm: region.radiusMm * map.scale,
        side: region.side && movedDirection(map, region.side),
      }
    case 'planes':
      return {
        ...region,
        planes: region.planes.map(([x, y, z, d]) => {
          const { normal, offset } = movedPlane(map, [x, y, z], d)
          return [...normal, offset] as const
        }),
      }
    case 'lasso':
      return {
        ...region,
        matrix: seenThrough(region.matrix, map),
        front: region.front && movedDirection(map, region.front),
      }
  }
}

/** The matrix that shows the moved things where the given one showed them before: matrix · map⁻¹. */
function seenThrough(matrix: readonly number[], { scale, motion: m }: Similarity): number[] {
  // The inverse of p → s R p + t is q → Rᵀ q / s − Rᵀ t / s.
  const inverse = new Float64Array(16)
  inverse[15] = 1
  for (let r = 0; r < 3; r++) {
    for (let c = 0; c < 3; c++) inverse[r * 4 + c] = m[c * 4 + r] / scale
    inverse[r * 4 + 3] = -(m[r] * m[3] + m[4 + r] * m[7] + m[8 + r] * m[11]) / scale
  }
  return Array.from({ length: 16 }, (_, i) => {
    const [r, c] = [Math.floor(i / 4), i % 4]
    return [0, 1, 2, 3].reduce((s, k) => s + matrix[r * 4 + k] * inverse[k * 4 + c], 0)
  })
}

/** Middles of the faces of a set. */
function middlesOf(mesh: TriangleMesh, bits: Uint8Array, count: number): Float32Array {
  const { positions: p } = faceItems(mesh)
  const out = new Float32Array(count * 3)
  for (let f = 0, k = 0; f < p.length / 3; f++) if (hasBit(bits, f)) out.set(p.subarray(f * 3, f * 3 + 3), 3 * k++)
  return out
}
