import type { TriangleMesh } from '../shapes'
import { sheetAt, sideAt, turnAt, type Places } from './places'
import type { Turn } from './wedge'

/** Two places know the same sheet where it faces the same way between them (cosine; 20°) … */
const SAME_FACING = 0.94
/** … and lies within this share of an edge. */
const SAME_PLACE = 0.25
/** Where both ends of an edge say an edge runs, they have to say so within this share of it. */
const AGREE = 0.3
/** The edge of the piece lies so near the mesh's, in edges. */
const MOST_MOVE = 0.8

/** Where an edge of the mesh runs from one sheet to another. */
export interface Crossing {
  /** Point of the mesh by whose sheets it is told, and which two of them. */
  readonly by: number
  readonly a: number
  readonly b: number
  readonly turn: Turn
  /** Where the edge of the piece passes, mm. */
  readonly at: readonly [number, number, number]
  /** Both ends of the mesh's edge say so. */
  readonly firm: boolean
}

const SAME = null

/** Tells of edges of the mesh whether they run across an edge of the piece. */
export class Crossings {
  private readonly place = new Float64Array(3)
  private readonly other = new Float64Array(3)
  private readonly n1 = new Float64Array(3)
  private readonly n2 = new Float64Array(3)

  constructor(
    private readonly mesh: TriangleMesh,
    private readonly places: Places,
    private readonly edgeMm: number,
  ) {}

  /** Where the edge between two points crosses; null where both lie on one sheet, or nobody knows better. */
  between(u: number, v: number): Crossing | null {
    const { places } = this
    if (places.count[u] === 0 && places.count[v] === 0) return SAME
    if (places.count[u] === 0) return this.byOne(v, u)
    if (places.count[v] === 0) return this.byOne(u, v)
    const su = sheetAt(places, u, places.side[u]),
      sv = sheetAt(places, v, places.side[v])
    if (this.isSame(su, sv, u, v)) return SAME
    const first = this.by(u, v, places.side[u], this.like(u, sv, u, v))
    const second = this.by(v, u, this.like(v, su, u, v), places.side[v])
    if (!first || !second) return first ?? second
    const apart = Math.hypot(...first.at.map((x, c) => x - second.at[c]))
    if (apart > AGREE * this.edgeMm || first.turn !== second.turn) return SAME
    return {
      ...first,
      at: [0, 1, 2].map((c) => (first.at[c] + second.at[c]) / 2) as [number, number, number],
      firm: true,
    }
  }

  /** By the sheets of one end, where the other has none. */
  private byOne(by: number, other: number): Crossing | null {
    const p = this.mesh.positions
    const side = sideAt(this.places, by, p[other * 3], p[other * 3 + 1], p[other * 3 + 2])
    return side === this.places.side[by] ? SAME : this.by(by, other, this.places.side[by], side)
  }

  /** Which of the sheets of a point is the given one; −1 for none. */
  private like(point: number, sheet: number, u: number, v: number): number {
    for (let a = 0; a < this.places.count[point]; a++)
      if (this.isSame(sheetAt(this.places, point, a), sheet, u, v)) return a
    return -1
  }

  /** Whether two sheets are one, looked at half way between two points. */
  private isSame(s: number, t: number, u: number, v: number): boolean {
    const p = this.mesh.positions
    const x = (p[u * 3] + p[v * 3]) / 2,
      y = (p[u * 3 + 1] + p[v * 3 + 1]) / 2,
      z = (p[u * 3 + 2] + p[v * 3 + 2]) / 2
    const { sheets } = this.places
    const d = sheets.off(s, x, y, z, this.n1) - sheets.off(t, x, y, z, this.n2)
    if (Math.abs(d) > SAME_PLACE * this.edgeMm) return false
    return this.n1[0] * this.n2[0] + this.n1[1] * this.n2[1] + this.n1[2] * this.n2[2] > SAME_FACING
  }

  private by(by: number, other: number, a: number, b: number): Crossing | null {
    if (a < 0 || b < 0 || a === b) return SAME
    const { places, place } = this
    const turn = turnAt(places, by, a, b)
    if (turn === 0) return SAME
    const p = this.mesh.positions
    const i = sheetAt(places, by, a),
      j = sheetAt(places, by, b)
    // Between the sheets lies where the mesh is as far off the one as off the other.
    const lean = (v: number): number =>
      places.sheets.off(i, p[v * 3], p[v * 3 + 1], p[v * 3 + 2], this.n1) -
      places.sheets.off(j, p[v * 3], p[v * 3 + 1], p[v * 3 + 2], this.n2)
    const from = lean(by),
      to = lean(other)
    const share = from === to ? 0.5 : Math.min(1, Math.max(0, from / (from - to)))
    for (let c = 0; c < 3; c++) place[c] = this.other[c] = p[by * 3 + c] + share * (p[other * 3 + c] - p[by * 3 + c])
    if (!places.sheets.meet(i, j, place, 1e-4 * this.edgeMm)) return SAME
    const moved = Math.hypot(place[0] - this.other[0], place[1] - this.other[1], place[2] - this.other[2])
    if (moved > MOST_MOVE * this.edgeMm) return SAME
    return { by, a, b, turn, at: [place[0], place[1], place[2]], firm: false }
  }
}
