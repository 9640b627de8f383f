import { faceCross } from '../linear/face-cross'
import { ON_LINE, ON_SHEET, STAYS, type CutMesh } from './cut-in'
import type { Places } from './places'

/** A face has to face so much as its sheet does (cosine; 45°). */
const LEAST_FACING = 0.7
/** Where a line ends, faces lean from one sheet to the next; they do not turn so far from both (cosine; 75°). */
const TURNED = 0.25
/** Its least height over its longest edge; what is flatter faces any way. */
const LEAST_SHAPE = 0.01

/** Tells of the faces beside lines whether they face as the sheets they lie on do. */
export class FaceJudge {
  private readonly cross = new Float64Array(3)
  private readonly facing = new Float64Array(3)
  private readonly corners = new Float64Array(9)

  constructor(
    private readonly cut: CutMesh,
    private readonly places: Places,
  ) {}

  /** Whether a face lies as it should; one away from all lines always does. */
  isSound(a: number, b: number, c: number): boolean {
    return this.facing3(a, b, c) >= LEAST_FACING
  }

  /** Whether a face has turned over, so that the skin must not stay so. */
  isTurned(a: number, b: number, c: number): boolean {
    return this.facing3(a, b, c) < TURNED
  }

  private facing3(a: number, b: number, c: number): number {
    const p = this.cut.working.places
    for (let k = 0; k < 3; k++) {
      this.corners[k] = p[a * 3 + k]
      this.corners[3 + k] = p[b * 3 + k]
      this.corners[6 + k] = p[c * 3 + k]
    }
    return this.look(a, b, c)
  }

  /** How many faces round a point are not sound; those that hold `but` are passed over. */
  unsoundAround(point: number, but = -1): number {
    return this.count(point, but, point)
  }

  /** The same as if the point stood where, and were what, another is. */
  unsoundIf(point: number, as: number): number {
    return this.count(point, as, as)
  }

  private count(point: number, but: number, as: number): number {
    const { topology, places: p } = this.cut.working
    let n = 0
    const start = topology.first(point)
    for (let h = start; h >= 0;) {
      const u = topology.tip(h),
        w = topology.apex(h)
      if (u !== but && w !== but) {
        for (let k = 0; k < 3; k++) {
          this.corners[k] = p[as * 3 + k]
          this.corners[3 + k] = p[u * 3 + k]
          this.corners[6 + k] = p[w * 3 + k]
        }
        if (this.look(as, u, w) < LEAST_FACING) n++
      }
      h = topology.onward(h)
      if (h === start) break
    }
    return n
  }

  /** How a face stands to the nearest of its sheets (cosine); −1 for one that is flat to a line. */
  private look(a: number, b: number, c: number): number {
    const { kind, first, second } = this.cut
    if (kind[a] === STAYS && kind[b] === STAYS && kind[c] === STAYS) return 1
    const q = this.corners
    const area = faceCross(q, 0, 3, 6, this.cross)
    const longest = Math.max(squared(q, 0, 3), squared(q, 3, 6), squared(q, 6, 0))
    if (!(area > LEAST_SHAPE * longest)) return -1
    let most = -1
    // A point on a sheet says which; without one, either of the sheets of the lines will do.
    const anyOnSheet = kind[a] === ON_SHEET || kind[b] === ON_SHEET || kind[c] === ON_SHEET
    for (const v of [a, b, c]) {
      if (kind[v] === ON_SHEET) most = Math.max(most, this.held(first[v], area))
      else if (kind[v] === ON_LINE && !anyOnSheet)
        most = Math.max(most, this.held(first[v], area), this.held(second[v], area))
    }
    return most === -1 ? 1 : most
  }

  private held(sheet: number, area: number): number {
    const q = this.corners
    this.places.sheets.off(
      sheet,
      (q[0] + q[3] + q[6]) / 3,
      (q[1] + q[4] + q[7]) / 3,
      (q[2] + q[5] + q[8]) / 3,
      this.facing,
    )
    const { cross, facing } = this
    return (cross[0] * facing[0] + cross[1] * facing[1] + cross[2] * facing[2]) / area
  }
}

const squared = (q: Float64Array, i: number, j: number): number =>
  (q[i] - q[j]) ** 2 + (q[i + 1] - q[j + 1]) ** 2 + (q[i + 2] - q[j + 2]) ** 2
