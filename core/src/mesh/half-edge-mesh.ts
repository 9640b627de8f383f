import { GeometryError } from '../errors'
import type { TriangleMesh } from '../shapes'
import { edgeTopology } from './topology'
import { nextHalf, previousHalf } from './half-edges'

/**
 * The connectivity of a triangle mesh that can be edited in place: edges flipped, split and collapsed. A half-edge is
 * numbered 3·face + corner, as in `edgeTopology`, and runs from its corner to the next one of the face; an edit keeps
 * the numbers of all it does not touch. Places of points are the caller's; here are only their numbers.
 *
 * Source: the half-edge structure after Kettner 1999 in arrays; when an edge may be collapsed without changing the
 * surface's kind: Dey, Edelsbrunner, Guha and Nekhayev, "Topology preserving edge contraction", 1999 (link condition).
 */
export class HalfEdgeMesh {
  /** The point each half-edge begins at; −1 where its face is gone. */
  private from: Int32Array
  /** The half-edge that runs the other way; −1 at a border. */
  private twins: Int32Array
  /** Some half-edge that begins at each point; −1 for a point without faces. */
  private leaving: Int32Array
  /** Points marked with the current number were met by the search that is on. */
  private met: Int32Array
  private meeting = 0
  private halves: number
  private count: number
  /** An edit makes no border: a closed mesh stays closed. */
  private readonly closed: boolean

  /**
   * @throws SHAPE when an edge has more than two faces, when two faces run the same way along one, or when surfaces
   * meet in a point alone: what is edited must be a surface
   */
  constructor(mesh: Pick<TriangleMesh, 'positions' | 'indices'>) {
    const { indices } = mesh
    const { twin, borderEdges } = edgeTopology({ kind: 'mesh', ...mesh })
    if (twin.includes(-2))
      throw new GeometryError('SHAPE', 'Edges with more than two faces, or faces turned against each other, are here.')
    this.from = Int32Array.from(indices)
    this.twins = Int32Array.from(twin)
    this.halves = indices.length
    this.count = mesh.positions.length / 3
    this.closed = borderEdges === 0
    this.leaving = new Int32Array(this.count).fill(-1)
    this.met = new Int32Array(this.count)
    for (let h = 0; h < indices.length; h++) this.leaving[indices[h]] = h
    let reached = 0
    for (let v = 0; v < this.count; v++) reached += this.valence(v)
    if (reached !== indices.length) throw new GeometryError('SHAPE', 'Surfaces that meet in one point alone are here.')
  }

  get halfEdges(): number {
    return this.halves
  }
  get points(): number {
    return this.count
  }
  isGone(h: number): boolean {
    return this.from[h] < 0
  }
  origin(h: number): number {
    return this.from[h]
  }
  tip(h: number): number {
    return this.from[nextHalf(h)]
  }
  /** The third point of the half-edge's face. */
  apex(h: number): number {
    return this.from[previousHalf(h)]
  }
  nextOf(h: number): number {
    return nextHalf(h)
  }
  previousOf(h: number): number {
    return previousHalf(h)
  }
  /** −1 at a border. */
  twin(h: number): number {
    return this.twins[h]
  }

  /**
   * The half-edge from which `onward` meets all that begin at a point; −1 for a point without faces. At a border it is
   * the one with nothing before it.
   */
  first(point: number): number {
    const start = this.leaving[point]
    if (this.closed || start < 0) return start
    let h = start
    for (let t = this.twins[h]; t >= 0; t = this.twins[h]) {
      h = nextHalf(t)
      if (h === start) break
    }
    return h
  }
  /** The next half-edge with the same beginning; −1 behind the last one at a border. */
  onward(h: number): number {
    return this.twins[previousHalf(h)]
  }
  /** Faces round a point. */
  valence(point: number): number {
    let n = 0
    const start = this.first(point)
    for (let h = start; h >= 0;) {
      n++
      h = this.onward(h)
      if (h === start) break
    }
    return n
  }

  /** Half-edges that begin at a point, once round it; at a border those of the faces there are. */
  outgoing(point: number): number[] {
    const out: number[] = []
    const start = this.first(point)
    for (let h = start; h >= 0;) {
      out.push(h)
      h = this.onward(h)
      if (h === start) break
    }
    return out
  }

  /** The points an edge leads to from this one. */
  neighbours(point: number): number[] {
    const out: number[] = []
    const start = this.first(point)
    for (let h = start; h >= 0;) {
      out.push(this.tip(h))
      const on = this.onward(h)
      // At a border the last edge has only the half that comes in.
      if (on < 0) out.push(this.apex(h))
      h = on
      if (h === start) break
    }
    return out
  }

  isBorderPoint(point: number): boolean {
    if (this.closed) return false
    const start = this.first(point)
    return start >= 0 && this.twins[start] < 0
  }

  hasEdge(a: number, b: number): boolean {
    const start = this.first(a)
    for (let h = start; h >= 0;) {
      if (this.tip(h) === b) return true
      const on = this.onward(h)
      if (on < 0) return this.apex(h) === b
      h = on
      if (h === start) break
    }
    return false
  }

  /** Whether the edge can be turned to run between the two points opposite: it has two faces, and they have no edge. */
  canFlip(h: number): boolean {
    const t = this.twins[h]
    if (this.from[h] < 0 || t < 0) return false
    const c = this.apex(h),
      d = this.apex(t)
    return c !== d && !this.hasEdge(c, d)
  }

  /**
   * Turns the edge between two faces; the half-edge then runs between the two points that were opposite it.
   * @throws SHAPE where `canFlip` says no
   */
  flip(h: number): void {
    if (!this.canFlip(h)) throw new GeometryError('SHAPE', 'This edge cannot be turned.')
    const t = this.twins[h]
    const hn = nextHalf(h),
      hp = previousHalf(h),
      tn = nextHalf(t),
      tp = previousHalf(t)
    const a = this.from[h],
      b = this.from[t],
      c = this.from[hp],
      d = this.from[tp]
    const bc = this.twins[hn],
      ca = this.twins[hp],
      ad = this.twins[tn],
      db = this.twins[tp]
    // d → c → a and c → d → b.
    this.from[h] = d
    this.from[hn] = c
    this.from[hp] = a
    this.from[t] = c
    this.from[tn] = d
    this.from[tp] = b
    this.pair(hn, ca)
    this.pair(hp, ad)
    this.pair(tn, db)
    this.pair(tp, bc)
    this.leaving[a] = hp
    this.leaving[b] = tp
    this.leaving[c] = hn
    this.leaving[d] = tn
  }

  /** Puts a new point on an edge, and edges from it to the points opposite. @returns its number */
  split(h: number): number {
    if (this.isGone(h)) throw new GeometryError('SHAPE', 'This edge is gone.')
    const t = this.twins[h]
    this.reserve()
    const m = this.count++
    this.leaving[m] = -1
    this.met[m] = 0
    const f = this.halve(h, m)
    this.leaving[m] = f
    if (t >= 0) {
      // Both sides were cut from their own beginning: the near half of one lies against the far half of the other.
      const g = this.halve(t, m)
      this.pair(h, g)
      this.pair(t, f)
    }
    return m
  }

  /** a → b, c becomes a → m, c; the other half m → b, c is a new face. @returns the new half-edge m → b */
  private halve(side: number, m: number): number {
    const b = this.tip(side),
      c = this.apex(side)
    const n = nextHalf(side)
    const outer = this.twins[n]
    const face = this.halves
    this.halves += 3
    this.from[face] = m
    this.from[face + 1] = b
    this.from[face + 2] = c
    this.twins[face] = -1
    this.from[n] = m
    this.pair(face + 1, outer)
    this.pair(face + 2, n)
    this.leaving[b] = face + 1
    this.leaving[c] = face + 2
    return face
  }

  /** Room for one split more. */
  private reserve(): void {
    if (this.halves + 6 > this.from.length) {
      this.from = larger(this.from, this.halves + 6)
      this.twins = larger(this.twins, this.halves + 6)
    }
    if (this.count + 1 > this.leaving.length) {
      this.leaving = larger(this.leaving, this.count + 1)
      this.met = larger(this.met, this.count + 1)
    }
  }

  /**
   * Whether an edge can shrink to a point and the surface stay of its kind: its ends have no common neighbours but the
   * points opposite, an inner edge does not join two borders, and more than a tetrahedron is there.
   */
  canCollapse(h: number): boolean {
    if (this.isGone(h)) return false
    const t = this.twins[h]
    const a = this.from[h],
      b = this.tip(h)
    const mark = ++this.meeting
    const around = this.meet(a, mark)
    const strange = this.countUnmet(b, mark)
    const common = this.valence(b) + (this.isBorderPoint(b) ? 1 : 0) - strange
    // a itself is b's neighbour and not its own.
    if (common !== (t < 0 ? 1 : 2)) return false
    const aAtBorder = this.isBorderPoint(a),
      bAtBorder = this.isBorderPoint(b)
    if (t >= 0 && aAtBorder && bAtBorder) return false
    // A lone triangle, a tetrahedron: nothing of a surface would be left.
    return around + strange > (t < 0 ? 3 : 4) || (t >= 0 && aAtBorder !== bAtBorder)
  }

  /** Marks a point's neighbours. @returns how many there are */
  private meet(point: number, mark: number): number {
    let n = 0
    const start = this.first(point)
    for (let h = start; h >= 0;) {
      this.met[this.tip(h)] = mark
      n++
      const on = this.onward(h)
      if (on < 0) {
        this.met[this.apex(h)] = mark
        n++
      }
      h = on
      if (h === start) break
    }
    return n
  }

  /** Neighbours of a point that are not marked. */
  private countUnmet(point: number, mark: number): number {
    let n = 0
    const start = this.first(point)
    for (let h = start; h >= 0;) {
      if (this.met[this.tip(h)] !== mark) n++
      const on = this.onward(h)
      if (on < 0 && this.met[this.apex(h)] !== mark) n++
      h = on
      if (h === start) break
    }
    return n
  }

  /** Shrinks the edge to its tip: its faces go, its beginning has none any more. @throws SHAPE, see `canCollapse` */
  collapse(h: number): void {
    if (!this.canCollapse(h)) throw new GeometryError('SHAPE', 'This edge cannot be taken away.')
    this.shrink(h)
  }

  /** The same where `canCollapse` was asked just now. */
  shrink(h: number): void {
    const t = this.twins[h]
    const a = this.from[h],
      b = this.tip(h)
    const start = this.first(a)
    for (let out = start; out >= 0;) {
      this.from[out] = b
      out = this.onward(out)
      if (out === start) break
    }
    this.close(h, b)
    if (t >= 0) this.close(t, b)
    this.leaving[a] = -1
  }

  /** Takes out the face of a half-edge whose ends have become one, and sews up its other two edges. */
  private close(side: number, b: number): void {
    const n = this.twins[nextHalf(side)],
      p = this.twins[previousHalf(side)]
    const c = this.apex(side)
    const face = side - (side % 3)
    for (let k = face; k < face + 3; k++) {
      this.from[k] = -1
      this.twins[k] = -1
    }
    if (n >= 0) this.twins[n] = p
    if (p >= 0) this.twins[p] = n
    // One of the two runs into the apex and one out of it; where one is missing, the next of the other does.
    this.leaving[c] = n >= 0 ? n : nextHalf(p)
    this.leaving[b] = p >= 0 ? p : nextHalf(n)
  }

  /**
   * Closes up the room of faces and points that are gone; what is left keeps its order and gets new numbers.
   * @returns the old number of each point
   */
  compact(): Int32Array {
    const renamed = new Int32Array(this.count).fill(-1)
    const points: number[] = []
    for (let v = 0; v < this.count; v++)
      if (this.leaving[v] >= 0) {
        renamed[v] = points.length
        points.push(v)
      }
    const moved = new Int32Array(this.halves).fill(-1)
    let n = 0
    for (let h = 0; h < this.halves; h++) if (this.from[h] >= 0) moved[h] = n++
    const from = new Int32Array(n),
      twins = new Int32Array(n),
      leaving = new Int32Array(points.length)
    for (let h = 0; h < this.halves; h++) {
      const to = moved[h]
      if (to < 0) continue
      from[to] = renamed[this.from[h]]
      twins[to] = this.twins[h] < 0 ? -1 : moved[this.twins[h]]
    }
    points.forEach((v, to) => (leaving[to] = moved[this.leaving[v]]))
    this.from = from
    this.twins = twins
    this.leaving = leaving
    this.met = new Int32Array(points.length)
    this.meeting = 0
    this.halves = n
    this.count = points.length
    return Int32Array.from(points)
  }

  /** Faces that are left, three numbers of points each. */
  indices(): Uint32Array {
    const out = new Uint32Array(this.halves)
    let n = 0
    for (let h = 0; h < this.halves; h++) if (this.from[h] >= 0) out[n++] = this.from[h]
    return out.slice(0, n)
  }

  private pair(h: number, other: number): void {
    this.twins[h] = other
    if (other >= 0) this.twins[other] = h
  }
}

function larger(store: Int32Array, least: number): Int32Array {
  const out = new Int32Array(Math.max(least, Math.ceil(store.length * 1.5)))
  out.set(store)
  return out
}
