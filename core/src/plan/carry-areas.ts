import Joi from 'joi'
import { GeometryError } from '../errors'
import { faceCross } from '../linear/face-cross'
import { vertexNormals } from '../mesh/normals'
import type { TriangleMesh } from '../shapes'
import { KdTree } from '../spatial/kd-tree'
import type { Area } from '../brief/brief'
import { facetAreas } from './assess'
import { CoverageScene, OPEN_DIRECTIONS } from './coverage'
import { cutFacets, type Facets } from './facets'
import type { StandInPlace } from './place-stand-in'

/*
 * The areas of the brief on the joined piece. They belong to the piece, not to a skin: kept are the place of the stand-in
 * and strokes of a brush, in the coordinates of the join, and what they come to on a mesh is worked out anew.
 */

/** A touch of the brush: all surface within its reach that does not face away. */
export interface AreaStroke {
  /** Name of the area; null takes the surface out of all. */
  readonly area: string | null
  readonly at: readonly [number, number, number]
  readonly normal: readonly [number, number, number]
  readonly radiusMm: number
}

export interface CarriedAreas {
  /** Scale and the upper three rows of the motion that take the stand-in into the piece. */
  readonly scale: number
  readonly rows: readonly number[]
  readonly offMm: number
  /** Share of the piece's size it lies off. */
  readonly off: number
  readonly alsoAtDeg: readonly number[]
  readonly anyAngle: boolean
  /** What the coordinates are those of: the take that was fixed, or the mesh that was taken as it is. */
  readonly frame?: string
  readonly strokes: readonly AreaStroke[]
}

const number = Joi.number().min(-1e6).max(1e6)
const place = Joi.array().length(3).items(number).required()
export const MAX_AREA_STROKES = 4000
export const carriedSchema = Joi.object<CarriedAreas>({
  scale: Joi.number().positive().max(1e6).required(),
  rows: Joi.array().length(12).items(number).required(),
  offMm: Joi.number().min(0).max(1e6).required(),
  off: Joi.number().min(0).max(1e3).required(),
  alsoAtDeg: Joi.array().max(24).items(Joi.number().min(0).max(180)).required(),
  anyAngle: Joi.boolean().required(),
  frame: Joi.string().max(80),
  strokes: Joi.array()
    .max(MAX_AREA_STROKES)
    .items(
      Joi.object({
        area: Joi.string().trim().min(1).max(80).allow(null).required(),
        at: place,
        normal: place,
        radiusMm: Joi.number().positive().max(1000).required(),
      }),
    )
    .required(),
})

/** @throws PARAMS naming what is wrong */
export function checkCarried(value: unknown): CarriedAreas {
  const { value: checked, error } = carriedSchema.validate(value, { convert: false })
  if (error) throw new GeometryError('PARAMS', `The areas cannot be kept: ${error.details[0].message}.`)
  return checked
}

/** What was found, without any stroke yet. */
export const carriedFrom = ({
  place: { scale, motion },
  offMm,
  off,
  alsoAtDeg,
  anyAngle,
}: StandInPlace): CarriedAreas => ({
  scale,
  rows: Array.from(motion.slice(0, 12)),
  offMm,
  off,
  alsoAtDeg,
  anyAngle,
  strokes: [],
})

/** Facets beside one another that are asked which of them faces as the surface does. */
const NEAR = 6
/** Cosine between a surface and a facet that can be the same. */
const FACES_ALIKE = 0.2
/** Of two sides of a thin wall a brush paints the one it touches. */
const FACES_AWAY = -0.2

/** A form with the area of the brief each of its facets lies in, −1 for none, in the coordinates of the stand-in. */
export interface LabelledForm {
  readonly facets: Facets
  readonly facetArea: Int16Array
}

/** Only what was painted on the stand-in needs it; sides, heights and hollows are read off the piece itself. */
export const onlyPainted = (areas: readonly Area[], painted: boolean): Area[] =>
  areas.map((a) => ((a.place === 'painted') === painted ? a : { ...a, place: 'painted' as const, strokes: [] }))

/**
 * The sides, heights and hollows of the brief on a mesh itself, laid as the stand-in lies, its base on zero.
 * @param mesh with some ten thousand faces: each is looked at from all round
 */
export function ownAreas(mesh: TriangleMesh, carried: CarriedAreas, areas: readonly Area[], grown = 1): LabelledForm {
  const n = mesh.positions.length / 3
  const positions = new Float32Array(n * 3)
  let base = Infinity
  for (let i = 0; i < n; i++) {
    placeBack(carried, mesh.positions, i * 3, grown, positions)
    base = Math.min(base, positions[i * 3 + 2])
  }
  for (let i = 2; i < positions.length; i += 3) positions[i] -= base
  const model: TriangleMesh = { kind: 'mesh', positions, indices: mesh.indices }
  const facets = cutFacets(model, mesh.indices.length / 3)
  const openness = new CoverageScene(model, facets).openness()
  const { area } = facetAreas({ areas: onlyPainted(areas, false) }, facets, openness, OPEN_DIRECTIONS)
  for (let i = 2; i < facets.centres.length; i += 3) facets.centres[i] += base
  return { facets, facetArea: area }
}

/** A place of the piece in the coordinates of the stand-in. */
function placeBack(
  { rows: m, scale }: CarriedAreas,
  p: Float32Array,
  at: number,
  grown: number,
  out: Float32Array | Float64Array,
  to = at,
): void {
  const x = p[at] / grown - m[3],
    y = p[at + 1] / grown - m[7],
    z = p[at + 2] / grown - m[11]
  for (let c = 0; c < 3; c++) out[to + c] = (m[c] * x + m[4 + c] * y + m[8 + c] * z) / scale
}

/**
 * Which area of the brief each vertex of a mesh lies in, −1 for none: that of the nearest facet of the forms that faces as
 * the surface does, the later area of the brief where two hold it, then what was painted by hand, the last touch last.
 * @param forms the stand-in with what was painted on it, and the piece itself (`ownAreas`)
 * @param names of the areas, in the order of the brief
 * @param grown how much larger the mesh was made since it was joined
 */
export function areasOnMesh(
  mesh: TriangleMesh,
  carried: CarriedAreas,
  forms: readonly LabelledForm[],
  names: readonly string[],
  grown = 1,
): Int16Array {
  const { positions } = mesh
  const normals = mesh.normals ?? vertexNormals(mesh)
  const n = positions.length / 3
  const out = new Int16Array(n).fill(-1)
  const ids = new Int32Array(NEAR),
    distances = new Float64Array(NEAR),
    place = new Float64Array(3)
  const { rows: m } = carried
  for (const { facets, facetArea } of forms) {
    if (facetArea.every((a) => a < 0)) continue
    const tree = new KdTree(facets.centres)
    for (let i = 0; i < n; i++) {
      placeBack(carried, positions, i * 3, grown, place, 0)
      const nx = normals[i * 3],
        ny = normals[i * 3 + 1],
        nz = normals[i * 3 + 2]
      const [u, v, w] = [0, 1, 2].map((c) => m[c] * nx + m[4 + c] * ny + m[8 + c] * nz)
      const found = tree.knn(place[0], place[1], place[2], NEAR, ids, distances)
      let facet = ids[0]
      for (let k = 0; k < found; k++) {
        const f = ids[k] * 3
        if (u * facets.normals[f] + v * facets.normals[f + 1] + w * facets.normals[f + 2] > FACES_ALIKE) {
          facet = ids[k]
          break
        }
      }
      out[i] = Math.max(out[i], facetArea[facet])
    }
  }
  for (const { area, at, normal, radiusMm } of carried.strokes) {
    const a = area === null ? -1 : names.indexOf(area)
    if (area !== null && a < 0) continue
    const r = radiusMm * grown
    const [x, y, z] = at.map((v) => v * grown)
    for (let i = 0; i < n; i++) {
      const dx = positions[i * 3] - x
      if (dx > r || dx < -r) continue
      const dy = positions[i * 3 + 1] - y,
        dz = positions[i * 3 + 2] - z
      if (dx * dx + dy * dy + dz * dz > r * r) continue
      if (normals[i * 3] * normal[0] + normals[i * 3 + 1] * normal[1] + normals[i * 3 + 2] * normal[2] > FACES_AWAY)
        out[i] = a
    }
  }
  return out
}

/** Surface of each area on a mesh, mm², and of what lies in none, last: each face by a third to each of its corners. */
export function areaSizes({ positions: p, indices }: TriangleMesh, areaOf: Int16Array, count: number): number[] {
  const out = new Array<number>(count + 1).fill(0)
  const cross = new Float64Array(3)
  for (let i = 0; i < indices.length; i += 3) {
    const third = faceCross(p, indices[i] * 3, indices[i + 1] * 3, indices[i + 2] * 3, cross) / 6
    for (let k = 0; k < 3; k++) {
      const of = areaOf[indices[i + k]]
      out[of < 0 ? count : of] += third
    }
  }
  return out
}
