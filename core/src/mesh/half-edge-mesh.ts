import { GeometryError } from '../errors'
import type { TriangleMesh } from '../shapes'
import { edgeTopology } from './topology'

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
  private readonly from: number[]
  /** The half-edge that runs the other way; −1 at a border. */
  private readonly twins: number[]
  /** Some half-edge that begins at each point; −1 for a point without faces. */
  private readonly leaving: number[]

  /**
   * @throws SHAPE when an edge has more than two faces, when two faces run the same way along one, or when surfaces
   * meet in a point alone: what is edited must be a surface
   */
  constructor(mesh: Pick<TriangleMesh, 'positions' | 'indices'>) {
    const { indices } = mesh
    const { twin } = edgeTopology({ kind: 'mesh', ...mesh })
    if (twin.includes(-2))
      throw new GeometryError('SHAPE', 'Edges with more than two faces, or faces turned against each other, are here.')
    this.from = Array.from(indices)
    this.twins = Array.from(twin)
    this.leaving = new Array<number>(mesh.positions.length / 3).fill(-1)
    for (let h = 0; h < indices.length; h++) this.leaving[indices[h]] = h
    const reached = new Uint8Array(indices.length)
    for (let v = 0; v < this.leaving.length; v++) for (const h of this.outgoing(v)) reached[h] = 1
    if (reached.includes(0)) throw new GeometryError('SHAPE', 'Surfaces that meet in one point alone are here.')
  }

  get halfEdges(): number {
    return this.from.length
  }
  get points(): number {
    return this.leaving.length
  }
  isGone(h: number): boolean {
    return this.from[h] < 0
  }
  origin(h: number): number {
    return this.from[h]
  }
  tip(h: number): number {
    return this.from[next(h)]
  }
  /** The third point of the half-edge's face. */
  apex(h: number): number {
    return this.from[previous(h)]
  }
  nextOf(h: number): number {
    return next(h)
  }
  previousOf(h: number): number {
    return previous(h)
  }
  /** −1 at a border. */
  twin(h: number): number {
    return this.twins[h]
  }

  /** Half-edges that begin at a point, once round it; at a border those of the faces there are. */
  outgoing(point: number): number[] {
    const start = this.leaving[point]
    const out: number[] = []
    if (start < 0) return out
    let h = start
    do {
      out.push(h)
      h = this.twins[previous(h)]
    } while (h >= 0 && h !== start)
    if (h === start) return out
    for (let t = this.twins[start]; t >= 0; t = this.twins[h]) {
      h = next(t)
      out.push(h)
    }
    return out
  }

  /** The points an edge leads to from this one. */
  neighbours(point: number): number[] {
    const out: number[] = []
    for (const h of this.outgoing(point)) {
      out.push(this.tip(h))
      // At a border one edge has only the half that comes in.
      if (this.twins[previous(h)] < 0) out.push(this.apex(h))
    }
    return out
  }

  isBorderPoint(point: number): boolean {
    return this.outgoing(point).some((h) => this.twins[h] < 0 || this.twins[previous(h)] < 0)
  }

  hasEdge(a: number, b: number): boolean {
    return this.neighbours(a).includes(b)
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
    const hn = next(h),
      hp = previous(h),
      tn = next(t),
      tp = previous(t)
    const a = this.from[h],
      b = this.from[t],
      c = this.from[hp],
      d = this.from[tp]
    const [bc, ca, ad, db] = [this.twins[hn], this.twins[hp], this.twins[tn], this.twins[tp]]
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
    const m = this.leaving.length
    this.leaving.push(-1)
    // a → b, c becomes a → m, c; the other half m → b, c is a new face.
    const half = (side: number): number => {
      const b = this.tip(side),
        c = this.apex(side)
      const n = next(side)
      const outer = this.twins[n]
      const face = this.from.length
      this.from.push(m, b, c)
      this.twins.push(-1, -1, -1)
      this.from[n] = m
      this.pair(face + 1, outer)
      this.pair(face + 2, n)
      this.leaving[b] = face + 1
      this.leaving[c] = face + 2
      return face
    }
    const f = half(h)
    this.leaving[m] = f
    if (t >= 0) {
      // Both sides were cut from their own beginning: the near half of one lies against the far half of the other.
      const g = half(t)
      this.pair(h, g)
      this.pair(t, f)
    }
    return m
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
    const around = this.neighbours(a)
    const ofB = new Set(this.neighbours(b))
    const common = around.filter((v) => ofB.has(v))
    if (common.length !== (t < 0 ? 1 : 2)) return false
    if (t >= 0 && this.isBorderPoint(a) && this.isBorderPoint(b)) return false
    // A lone triangle, a tetrahedron: nothing of a surface would be left.
    const left = new Set([...around, ...ofB])
    return left.size > (t < 0 ? 3 : 4) || (t >= 0 && this.isBorderPoint(a) !== this.isBorderPoint(b))
  }

  /** Shrinks the edge to its tip: its faces go, its beginning has none any more. @throws SHAPE, see `canCollapse` */
  collapse(h: number): void {
    if (!this.canCollapse(h)) throw new GeometryError('SHAPE', 'This edge cannot be taken away.')
    const t = this.twins[h]
    const a = this.from[h],
      b = this.tip(h)
    for (const out of this.outgoing(a)) this.from[out] = b
    const close = (side: number): void => {
      const n = this.twins[next(side)],
        p = this.twins[previous(side)]
      const c = this.apex(side)
      const face = side - (side % 3)
      for (let k = face; k < face + 3; k++) {
        this.from[k] = -1
        this.twins[k] = -1
      }
      if (n >= 0) this.twins[n] = p
      if (p >= 0) this.twins[p] = n
      // One of the two runs into the apex and one out of it; where one is missing, the next of the other does.
      this.leaving[c] = n >= 0 ? n : next(p)
      this.leaving[b] = p >= 0 ? p : next(n)
    }
    close(h)
    if (t >= 0) close(t)
    this.leaving[a] = -1
  }

  /** Faces that are left, three numbers of points each. */
  indices(): Uint32Array {
    return Uint32Array.from(this.from.filter((v) => v >= 0))
  }

  private pair(h: number, other: number): void {
    this.twins[h] = other
    if (other >= 0) this.twins[other] = h
  }
}

const next = (h: number): number => (h % 3 === 2 ? h - 2 : h + 1)
const previous = (h: number): number => (h % 3 === 0 ? h + 2 : h - 1)
