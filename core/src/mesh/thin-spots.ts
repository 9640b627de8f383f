import { checkpoint, type RunContext } from '../context'
import { faceCross } from '../linear/face-cross'
import { boundsOf, diagonal, type TriangleMesh } from '../shapes'
import { TriangleBvh } from '../spatial/triangle-bvh'
import { vertexNormals } from './normals'
import { faultOf, largestFirst, together, type Fault } from './faults'

/** Of the piece's size: what counts as thin where nobody says, up to a millimetre. */
const THIN_SHARE = 0.02
const THIN_MM = 1
/** A wall's other side faces away within 60°: beside an edge the faces that meet there are no wall. */
const FACING = -0.5
/** The ray begins so much of the limit inside, past the face it starts from. */
const BEGIN = 1e-3

export const usualThinMm = ({ positions }: TriangleMesh): number =>
  positions.length === 0 ? THIN_MM : Math.min(THIN_MM, THIN_SHARE * diagonal(boundsOf(positions)))

export interface ThinSpots {
  readonly spots: readonly Fault[]
  /** The thinnest of them; Infinity where nothing is as thin as was asked. */
  readonly thinnestMm: number
}

/** Nearer than this share of the limit the surface is folded onto itself, not thin. */
const FOLD = 0.02
/** Fewer points than this are how faces lie, not how thick the body is. */
const MIN_POINTS = 4

/**
 * Where a body is thinner than so much: one ray a point goes inwards, against its normal, to the first face that faces
 * away from it. What is not closed has no thickness beside its rims and is told only where two sides stand.
 * @param mesh points that coincide made one @param limitMm > 0
 */
export function thinSpots(mesh: TriangleMesh, limitMm: number, context: RunContext): ThinSpots {
  const { positions: p, indices } = mesh
  const bvh = new TriangleBvh(mesh)
  const normals = vertexNormals(mesh)
  const inwards = new Float64Array(3),
    other = new Float64Array(3),
    from = new Float64Array(3)
  const thin: number[][] = []
  const thickMm: number[] = []
  for (let v = 0; v < p.length / 3; v++) {
    if (v % 20_000 === 0) checkpoint(context, v * 3, p.length, 'Looking for thin spots')
    for (let k = 0; k < 3; k++) {
      inwards[k] = -normals[v * 3 + k]
      from[k] = p[v * 3 + k] + BEGIN * limitMm * inwards[k]
    }
    const { face, distanceMm } = bvh.firstHit(from, inwards, limitMm)
    if (face < 0 || distanceMm < FOLD * limitMm) continue
    const [a, b, c] = indices.subarray(face * 3, face * 3 + 3)
    // A fold of the surface beside the point is no other side.
    if (a === v || b === v || c === v) continue
    const length = faceCross(p, a * 3, b * 3, c * 3, other)
    if (!(-(inwards[0] * other[0] + inwards[1] * other[1] + inwards[2] * other[2]) < FACING * length)) continue
    // With the face across, so that the two sides of a wall are one place.
    thin.push([v, a, b, c])
    thickMm.push(distanceMm + BEGIN * limitMm)
  }
  let thinnestMm = Infinity
  const places = together(thin).filter((of) => of.length >= MIN_POINTS)
  for (const of of places) for (const i of of) thinnestMm = Math.min(thinnestMm, thickMm[i])
  return { spots: largestFirst(places.map((of) => faultOf(mesh, 'thin', thin, of))), thinnestMm }
}
