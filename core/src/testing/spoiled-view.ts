import { invertRigid, transformPoint, type Motion } from '../linear/rigid'
import type { Random } from '../linear/random'
import { pickPoints, type PointCloud } from '../shapes'
import { pickFace } from '../spatial/pick'
import type { TriangleBvh } from '../spatial/triangle-bvh'
import type { Look } from './views'

/** What a device of one camera and one projector leaves out of a view, and puts into it that is not there. */
export interface Spoils {
  /** Between camera and projector as the piece sees them: what either does not see is missing; degrees. */
  readonly projectorDeg: number
  /** Share of places that are missing at random. */
  readonly dropShare: number
  /** Small holes, each of so much of the picture's width. */
  readonly holes: number
  readonly holeShare: number
  /** Share of places that lie off along their ray, and by how much of the piece's size at most. */
  readonly outlierShare: number
  readonly outlierDepth: number
  /** Normals come with the view, wrong by so much; degrees, one standard deviation. */
  readonly normalDeg: number
}

export const SPOILS: Spoils = {
  projectorDeg: 15,
  dropShare: 0.03,
  holes: 6,
  holeShare: 0.035,
  outlierShare: 0.002,
  outlierDepth: 0.04,
  normalDeg: 3,
}
/** Of the mesh, mm: `standardSize`. */
const SIZE_MM = 100

/**
 * A view with what is usually wrong with one; the word of where it was taken from is kept for the caller to drop.
 * @param bvh of the mesh @param motion mesh → the view's coordinates
 */
export function spoiled(
  { cloud, normals, cells, pixels }: Look,
  bvh: TriangleBvh,
  motion: Motion,
  s: Spoils,
  random: Random,
): PointCloud {
  const eye = cloud.frameOrigins!
  const back = invertRigid(motion)
  const a = (s.projectorDeg * Math.PI) / 180
  const lamp = transformPoint(
    back,
    eye[0] * Math.cos(a) - eye[1] * Math.sin(a),
    eye[0] * Math.sin(a) + eye[1] * Math.cos(a),
    eye[2],
  )
  const holes = Array.from({ length: s.holes }, () => cells[Math.floor(random.next() * cells.length)])
  const hole2 = (s.holeShare * pixels) ** 2 / 4
  const p = cloud.positions
  const keep: number[] = []
  for (let i = 0; i < cells.length; i++) {
    if (random.next() < s.dropShare) continue
    const [row, column] = [Math.floor(cells[i] / pixels), cells[i] % pixels]
    if (holes.some((h) => (Math.floor(h / pixels) - row) ** 2 + ((h % pixels) - column) ** 2 < hole2)) continue
    const at = transformPoint(back, p[i * 3], p[i * 3 + 1], p[i * 3 + 2])
    const way = at.map((v, c) => v - lamp[c])
    const far = Math.hypot(...way)
    const hit = pickFace(
      bvh,
      lamp,
      way.map((v) => v / far),
    )
    if (hit && hit.distanceMm < far - 0.01 * SIZE_MM) continue
    keep.push(i)
  }
  const kept = pickPoints({ ...cloud, normals }, keep)
  const positions = kept.positions.slice(),
    turned = kept.normals.slice()
  for (let i = 0; i < positions.length; i += 3) {
    if (random.next() < s.outlierShare) {
      const ray = [0, 1, 2].map((c) => positions[i + c] - eye[c])
      const by = (SIZE_MM * s.outlierDepth * (2 * random.next() - 1)) / Math.hypot(...ray)
      for (let c = 0; c < 3; c++) positions[i + c] += by * ray[c]
    }
    for (let c = 0; c < 3; c++) turned[i + c] += ((s.normalDeg * Math.PI) / 180) * random.gaussian()
    const l = Math.hypot(turned[i], turned[i + 1], turned[i + 2])
    for (let c = 0; c < 3; c++) turned[i + c] /= l
  }
  return { ...kept, positions, normals: turned }
}
