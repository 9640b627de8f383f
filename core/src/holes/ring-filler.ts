import { quietContext, type RunContext } from '../context'
import { faceCross } from '../linear/face-cross'
import { searchCrossings } from '../mesh/crossings'
import type { TriangleMesh } from '../shapes'
import { TriangleBvh } from '../spatial/triangle-bvh'
import { fairPatch } from './fair-patch'
import { layBehind, type FreeSpace } from './lay-behind'
import { refinePatch, type Patch } from './refine-patch'
import { triangulateRing } from './triangulate-ring'

export type FillKind = 'curved' | 'flat' | 'membrane'
/** How a ring was closed in the end: as asked, nearer to flat than asked, over one point in its middle, or not. */
export type Closed = 'asked' | 'flatter' | 'fan' | 'open'

/** The plainest triangles over a ring; clean where none of them crosses anything. */
export interface Plain {
  readonly ring: Int32Array
  readonly faces: number[]
  readonly isClean: boolean
  readonly box: Float64Array
}

/** Of a membrane's points so many may stand in space that was seen to be empty: at its rim a pixel says little. */
const MOST_IN_FREE = 0.05
/** How much of the continued curve is kept, in turn, where all of it would cross the surface. */
const SHARES = [1, 0.75, 0.5, 0.25, 0]
/** Rounds in which triangles that cross something are put out of the question, for rings up to so many points. */
const BAN_ROUNDS: readonly (readonly [number, number])[] = [
  [80, 60],
  [200, 20],
  [Infinity, 10],
]
/** Crossing pairs that are looked for at once. */
const MOST_PAIRS = 20_000
/** More points than a mesh here can have; two numbers below it make one that is still exact. */
const MAX_POINTS = 2 ** 26
const edgeKey = (a: number, b: number): number => Math.min(a, b) * MAX_POINTS + Math.max(a, b)

/**
 * Closes rings of a mesh one after the other, never so that faces cross: what is laid over a ring is tried against all
 * faces near it by exact predicates, and something plainer is laid where it does not fit.
 */
export class RingFiller {
  private positions: Float32Array
  private points: number
  private readonly base: Uint32Array
  private readonly added: number[] = []
  private readonly patches: { readonly box: Float64Array; readonly faces: readonly number[] }[] = []
  private readonly reserved = new Set<Plain>()
  private readonly bvh: TriangleBvh
  /** Corners of the faces round each point of a rim, three numbers a face. */
  private readonly round = new Map<number, number[]>()
  private readonly edges = new Set<number>()

  /**
   * @param mesh points that coincide made one
   * @param rims the points of all rings that may be filled
   * @param inFree what a membrane must not stand in
   */
  constructor(
    mesh: TriangleMesh,
    rims: readonly Int32Array[],
    private readonly context: Pick<RunContext, 'cancelled'> = quietContext(),
    private readonly inFree: FreeSpace | null = null,
  ) {
    this.points = mesh.positions.length / 3
    this.positions = Float32Array.from(mesh.positions)
    this.base = mesh.indices
    this.bvh = new TriangleBvh(mesh)
    for (const rim of rims) for (const v of rim) this.round.set(v, [])
    for (let f = 0; f < this.base.length; f += 3) this.know(this.base[f], this.base[f + 1], this.base[f + 2])
  }

  /** Faces of the mesh and of what was laid over rings. */
  indices(): Uint32Array {
    const out = new Uint32Array(this.base.length + this.added.length)
    out.set(this.base)
    out.set(this.added, this.base.length)
    return out
  }
  places(): Float32Array {
    return this.positions.slice(0, this.points * 3)
  }
  get facesAdded(): number {
    return this.added.length / 3
  }
  hasEdge(a: number, b: number): boolean {
    return this.edges.has(edgeKey(a, b))
  }

  /**
   * The plainest way to close a ring, kept free for it: what is laid over other rings does not cross it.
   * @param ring points in the order in which a filling runs; one may come twice where a seam joins two rims
   * @returns null where the ring has none; one that is not clean crosses something and keeps nothing free
   */
  plan(ring: Int32Array): Plain | null {
    const found = this.triangulate(ring)
    if (!found) return null
    const plain = { ring, ...found, box: boxOf(this.positions, found.faces) }
    if (plain.isClean) {
      this.reserved.add(plain)
      const { faces } = plain
      for (let f = 0; f < faces.length; f += 3) this.knowEdges(faces[f], faces[f + 1], faces[f + 2])
    }
    return plain
  }

  /** Closes a ring. @param plain what `plan` said of it */
  close(ring: Int32Array, kind: FillKind, plain: Plain | null): Closed {
    const how = plain ? this.closePlainly(plain, kind) : 'open'
    if (how !== 'open' || kind === 'membrane') return how
    const fan = this.fan(ring)
    if (this.crossing(fan, 1).length > 0) return 'open'
    this.lay(fan)
    return 'fan'
  }

  /** The same without a point in the middle as the last way out: over a band between two rims it would be a wall. */
  closePlainly(plain: Plain, kind: FillKind): Closed {
    this.reserved.delete(plain)
    if (kind === 'membrane') return this.curved(plain.ring, plain.faces, this.inFree) === null ? 'open' : 'asked'
    if (kind === 'curved') {
      const share = this.curved(plain.ring, plain.faces)
      if (share !== null) return share === 1 ? 'asked' : 'flatter'
    }
    if (!plain.isClean) return 'open'
    this.lay({ faces: plain.faces, added: [] })
    return kind === 'flat' ? 'asked' : 'flatter'
  }

  /** The best triangles over a ring of which none crosses anything, else the best. */
  private triangulate(ring: Int32Array): { faces: number[]; isClean: boolean } | null {
    const n = ring.length
    const banned = new Set<number>()
    const beyond = this.beyond(ring)
    let last: number[] | null = null
    const rounds = BAN_ROUNDS.find(([most]) => n <= most)![1]
    for (let round = 0; round < rounds; round++) {
      const places = triangulateRing(this.positions, ring, {
        isEdge: (a, b) => this.hasEdge(a, b),
        beyond,
        ...(banned.size > 0 && { isBanned: (i, j, k) => banned.has((i * n + j) * n + k) }),
      })
      if (!places) break
      const faces = places.map((i) => ring[i])
      // A seam is walked twice, and a chord from either side of it may come to be the same edge.
      const doubled = facesOnDoubledEdges(faces)
      const wrong = doubled.length > 0 ? doubled : this.crossing({ faces, added: [] })
      if (doubled.length === 0) last = faces
      if (wrong.length === 0) return { faces, isClean: true }
      for (const f of wrong) {
        const [i, j, k] = places.slice(f * 3, f * 3 + 3).sort((a, b) => a - b)
        banned.add((i * n + j) * n + k)
      }
    }
    return last && { faces: last, isClean: false }
  }

  /** @returns the share of the curve that could be kept; null where no share of it could */
  private curved(ring: Int32Array, triangles: readonly number[], inFree: FreeSpace | null = null): number | null {
    const patch = refinePatch(this.positions, this.points, ring, triangles, (a, b) => this.hasEdge(a, b))
    if (patch.added.length === 0) {
      if (this.crossing(patch, 1).length > 0) return null
      this.lay(patch)
      return 1
    }
    const flat = Float64Array.from(patch.added)
    const all = new Float64Array(this.points * 3 + flat.length)
    all.set(this.positions.subarray(0, this.points * 3))
    all.set(flat, this.points * 3)
    const rim = [...new Set(ring)]
    const neighbours = this.neighbours(rim, patch)
    fairPatch(all, rim, neighbours, this.points)
    const left = inFree ? layBehind(all, this.points, neighbours.slice(rim.length), inFree) : 0
    if (left > MOST_IN_FREE) return null
    const curve = all.subarray(this.points * 3)
    // Anything flatter than a membrane that free space allows would stand in that space.
    for (const share of inFree ? [1] : SHARES) {
      const candidate = { faces: patch.faces, added: Array.from(flat, (v, i) => v + share * (curve[i] - v)) }
      if (this.crossing(candidate, 1).length > 0) continue
      this.lay(candidate)
      return share
    }
    return null
  }

  /** Every edge of a ring with one point in its middle. */
  private fan(ring: Int32Array): Patch {
    const middle = [0, 0, 0]
    for (const v of ring) for (let c = 0; c < 3; c++) middle[c] += this.positions[v * 3 + c] / ring.length
    return {
      faces: Array.from(ring).flatMap((v, i) => [v, ring[(i + 1) % ring.length], this.points]),
      added: middle,
    }
  }

  /** Points with an edge to each point of a rim, and to each new one. */
  private neighbours(rim: readonly number[], patch: Patch): Int32Array[] {
    const lists: Set<number>[] = Array.from({ length: rim.length + patch.added.length / 3 }, () => new Set<number>())
    const rowOf = new Map<number, number>(rim.map((v, i) => [v, i]))
    const link = (faces: readonly number[]): void => {
      for (let f = 0; f < faces.length; f += 3)
        for (let k = 0; k < 3; k++) {
          const v = faces[f + k]
          const row = v >= this.points ? rim.length + v - this.points : rowOf.get(v)
          if (row !== undefined) lists[row].add(faces[f + ((k + 1) % 3)]).add(faces[f + ((k + 2) % 3)])
        }
    }
    for (const v of rim) link(this.round.get(v)!)
    link(patch.faces)
    return lists.map((s) => Int32Array.from(s))
  }

  /** Unit normals of the faces beyond the edges of a ring. */
  private beyond(ring: Int32Array): Float64Array {
    const out = new Float64Array(ring.length * 3)
    const cross = new Float64Array(3)
    for (let i = 0; i < ring.length; i++) {
      const a = ring[i],
        b = ring[(i + 1) % ring.length]
      const faces = this.round.get(a)!
      for (let f = 0; f < faces.length; f += 3) {
        const k = faces.indexOf(b, f) - f
        if (k < 0 || k > 2 || faces[f + ((k + 1) % 3)] !== a) continue
        const twice = faceCross(this.positions, faces[f] * 3, faces[f + 1] * 3, faces[f + 2] * 3, cross)
        if (twice > 0) for (let c = 0; c < 3; c++) out[i * 3 + c] = cross[c] / twice
        break
      }
    }
    return out
  }

  /** Which faces of a patch cross something: each other, the mesh, or what was laid before. */
  private crossing(patch: Patch, most = MOST_PAIRS): number[] {
    if (this.context.cancelled()) return []
    this.append(patch.added)
    const count = patch.faces.length / 3
    const box = boxOf(this.positions, patch.faces)
    const near: number[] = patch.faces.slice()
    for (const f of this.bvh.facesIn(box)) near.push(this.base[f * 3], this.base[f * 3 + 1], this.base[f * 3 + 2])
    for (const other of [...this.patches, ...this.reserved])
      if (boxesMeet(box, other.box)) for (const v of other.faces) near.push(v)
    const mesh = alone(this.positions, near)
    const changed = new Uint8Array(near.length / 3)
    changed.fill(1, 0, count)
    const { pairs } = searchCrossings(mesh, quietContext(), most, changed, Infinity)
    return [...new Set(pairs)].filter((f) => f < count)
  }

  /** Writes new points behind those there are, without counting them yet. */
  private append(added: readonly number[]): void {
    const need = this.points * 3 + added.length
    if (need > this.positions.length) {
      const larger = new Float32Array(Math.ceil(need * 1.5))
      larger.set(this.positions)
      this.positions = larger
    }
    this.positions.set(added, this.points * 3)
  }

  private lay(patch: Patch): void {
    this.append(patch.added)
    this.points += patch.added.length / 3
    const { faces } = patch
    for (let f = 0; f < faces.length; f += 3) this.know(faces[f], faces[f + 1], faces[f + 2])
    for (const v of faces) this.added.push(v)
    this.patches.push({ box: boxOf(this.positions, faces), faces })
  }

  /** Remembers a face round the points of rims, and its edges between such points. */
  private know(a: number, b: number, c: number): void {
    const { round } = this
    round.get(a)?.push(a, b, c)
    round.get(b)?.push(a, b, c)
    round.get(c)?.push(a, b, c)
    this.knowEdges(a, b, c)
  }
  private knowEdges(a: number, b: number, c: number): void {
    const { round, edges } = this
    const [atA, atB, atC] = [round.has(a), round.has(b), round.has(c)]
    if (atA && atB) edges.add(edgeKey(a, b))
    if (atB && atC) edges.add(edgeKey(b, c))
    if (atC && atA) edges.add(edgeKey(c, a))
  }
}

/** A few faces of many with the points they use. */
function alone(p: Float32Array, faces: readonly number[]): TriangleMesh {
  const own = new Map<number, number>()
  const indices = new Uint32Array(faces.length)
  faces.forEach((v, i) => {
    let k = own.get(v)
    if (k === undefined) own.set(v, (k = own.size))
    indices[i] = k
  })
  const positions = new Float32Array(own.size * 3)
  for (const [v, k] of own) positions.set(p.subarray(v * 3, v * 3 + 3), k * 3)
  return { kind: 'mesh', positions, indices }
}

/** Faces at edges that more than two of them share. */
function facesOnDoubledEdges(faces: readonly number[]): number[] {
  const uses = new Map<number, number[]>()
  faces.forEach((a, i) => {
    const key = edgeKey(a, faces[i % 3 === 2 ? i - 2 : i + 1])
    const list = uses.get(key)
    if (list) list.push(Math.floor(i / 3))
    else uses.set(key, [Math.floor(i / 3)])
  })
  return [...uses.values()].filter((list) => list.length > 2).flat()
}

/** Least x, y, z, greatest x, y, z of the corners of faces. */
function boxOf(p: Float32Array, faces: readonly number[]): Float64Array {
  const box = Float64Array.of(Infinity, Infinity, Infinity, -Infinity, -Infinity, -Infinity)
  for (const v of faces)
    for (let c = 0; c < 3; c++) {
      box[c] = Math.min(box[c], p[v * 3 + c])
      box[c + 3] = Math.max(box[c + 3], p[v * 3 + c])
    }
  return box
}

const boxesMeet = (a: Float64Array, b: Float64Array): boolean =>
  [0, 1, 2].every((c) => a[c] <= b[c + 3] && b[c] <= a[c + 3])
