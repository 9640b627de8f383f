import { checkpoint, type RunContext } from '../context'
import { CostHeap } from '../spatial/cost-heap'
import { UnionFind } from '../spatial/union-find'
import { edgeTopology } from '../mesh/topology'
import type { TriangleMesh } from '../shapes'
import { nextHalf } from '../mesh/half-edges'

/** A closed way over edges that goes round a handle, or through it, and does not part the surface. */
export interface HandleLoop {
  readonly points: Int32Array
  readonly lengthMm: number
}

/** Rounds of searching from places on what was found, how many places on each loop, and how many in all at most. */
const ROUNDS = 4
const ON_EACH = 3
const MOST_ROOTS = 30
/** More handles than this are not told apart. */
const MOST_HANDLES = 15

/**
 * Short loops of a closed surface that do not part it, the shortest first, two a handle at most: one round it and one
 * through it. From a root all shortest ways form a tree; of the edges that are in neither the tree nor a tree of faces
 * across the longest others two a handle are left, and with the ways to their ends they are the shortest loops there are
 * through the root (Erickson and Whittlesey 2005, "Greedy optimal homotopy and homology generators"). What two ways share
 * is dropped, and the search repeated from places on the loops. Loops are told apart by which of the first tree's dual
 * loops they cross an odd number of times: none is a sum of shorter ones.
 * @param mesh closed and manifold, points that coincide made one
 */
export function handleLoops(mesh: TriangleMesh, genus: number, context: RunContext): HandleLoop[] {
  if (genus < 1) return []
  const { twin } = edgeTopology(mesh)
  const search = new LoopSearch(mesh, twin)
  const all: HandleLoop[] = []
  const asked = new Set<number>()
  let roots = search.rootsOfParts()
  for (let round = 0; round < ROUNDS; round++) {
    for (const root of roots) {
      if (asked.size >= MOST_ROOTS || asked.has(root)) continue
      checkpoint(context, asked.size, MOST_ROOTS, 'Looking for handles')
      asked.add(root)
      all.push(...search.from(root))
    }
    roots = search
      .independent(all, 2 * Math.min(genus, MOST_HANDLES))
      .flatMap(({ points }) =>
        Array.from({ length: ON_EACH }, (_, i) => points[Math.floor((i * points.length) / ON_EACH)]),
      )
  }
  return search.independent(all, 2 * Math.min(genus, MOST_HANDLES))
}

class LoopSearch {
  private readonly points: number
  private readonly length: Float64Array
  /** Half-edges that leave each point. */
  private readonly start: Int32Array
  private readonly leaving: Int32Array
  /** For each half-edge, which of the dual loops of the first roots cross it, a bit each. */
  private readonly crossed: Int32Array
  private bits = 0

  constructor(
    private readonly mesh: TriangleMesh,
    private readonly twin: Int32Array,
  ) {
    const { indices, positions: p } = mesh
    this.points = p.length / 3
    this.length = new Float64Array(indices.length)
    this.start = new Int32Array(this.points + 1)
    for (let h = 0; h < indices.length; h++) {
      const a = indices[h] * 3,
        b = indices[nextHalf(h)] * 3
      this.length[h] = Math.hypot(p[a] - p[b], p[a + 1] - p[b + 1], p[a + 2] - p[b + 2])
      this.start[indices[h] + 1]++
    }
    for (let v = 0; v < this.points; v++) this.start[v + 1] += this.start[v]
    this.crossed = new Int32Array(indices.length)
    const at = this.start.slice()
    this.leaving = new Int32Array(indices.length)
    for (let h = 0; h < indices.length; h++) this.leaving[at[indices[h]]++] = h
  }

  /** One point of each part. */
  rootsOfParts(): number[] {
    const { indices } = this.mesh
    const sets = new UnionFind(this.points)
    for (let h = 0; h < indices.length; h++) sets.union(indices[h], indices[nextHalf(h)])
    const seen = new Set<number>()
    const out: number[] = []
    for (const v of indices) {
      const part = sets.find(v)
      if (seen.has(part)) continue
      seen.add(part)
      out.push(v)
    }
    return out
  }

  /** The shortest loops through a root, what both ways share dropped. */
  from(root: number): HandleLoop[] {
    const { mesh, twin, length, points } = this
    const { indices } = mesh
    const { away, came } = this.shortestWays(root)
    const isTree = new Uint8Array(indices.length)
    for (let v = 0; v < points; v++) if (came[v] >= 0) isTree[came[v]] = isTree[twin[came[v]]] = 1
    // A tree of faces across the edges whose loops are longest.
    const rest: number[] = []
    for (let h = 0; h < indices.length; h++)
      if (twin[h] > h && !isTree[h] && Number.isFinite(away[indices[h]])) rest.push(h)
    const round = (h: number): number => away[indices[h]] + away[indices[nextHalf(h)]] + length[h]
    rest.sort((a, b) => round(b) - round(a))
    const faces = new UnionFind(indices.length / 3)
    const across: number[] = []
    const left: number[] = []
    for (const h of rest) {
      const f = Math.floor(h / 3),
        g = Math.floor(twin[h] / 3)
      if (faces.find(f) !== faces.find(g)) {
        faces.union(f, g)
        across.push(h)
      } else left.push(h)
    }
    // A root of a part that was not asked before: its dual loops tell the loops of that part apart.
    if (left.length > 0 && left.every((h) => this.crossed[h] === 0)) this.mark(left, across)
    return left.map((h) => this.loopOf(h, came))
  }

  /** Marks what each dual loop crosses: an edge that is left, and the way in the tree of faces between its two. */
  private mark(left: readonly number[], across: readonly number[]): void {
    const { twin, crossed } = this
    const beside = new Map<number, number[]>()
    for (const h of across)
      for (const side of [h, twin[h]]) {
        const f = Math.floor(side / 3)
        const list = beside.get(f)
        if (list) list.push(side)
        else beside.set(f, [side])
      }
    for (const edge of left) {
      if (this.bits >= 2 * MOST_HANDLES) return
      const bit = 1 << this.bits++
      const goal = Math.floor(twin[edge] / 3)
      const came = new Map<number, number>([[Math.floor(edge / 3), -1]])
      const queue = [Math.floor(edge / 3)]
      for (const f of queue) {
        if (f === goal) break
        for (const side of beside.get(f) ?? []) {
          const g = Math.floor(twin[side] / 3)
          if (came.has(g)) continue
          came.set(g, side)
          queue.push(g)
        }
      }
      crossed[edge] ^= bit
      crossed[twin[edge]] ^= bit
      for (let side = came.get(goal) ?? -1; side >= 0; side = came.get(Math.floor(side / 3)) ?? -1) {
        crossed[side] ^= bit
        crossed[twin[side]] ^= bit
      }
    }
  }

  /** The shortest loops of which none is a sum of others (elimination over two numbers). */
  independent(loops: readonly HandleLoop[], most: number): HandleLoop[] {
    const basis: number[] = []
    const out: HandleLoop[] = []
    for (const loop of [...loops].sort((a, b) => a.lengthMm - b.lengthMm)) {
      let sum = this.classOf(loop)
      for (const b of basis) if ((sum ^ b) >>> 0 < sum >>> 0) sum ^= b
      if (sum === 0) continue
      basis.push(sum)
      basis.sort((a, b) => (b >>> 0) - (a >>> 0))
      out.push(loop)
      if (out.length === most) break
    }
    return out
  }

  private classOf({ points }: HandleLoop): number {
    const { mesh, start, leaving, crossed } = this
    let sum = 0
    points.forEach((v, i) => {
      const w = points[(i + 1) % points.length]
      for (let k = start[v]; k < start[v + 1]; k++)
        if (mesh.indices[nextHalf(leaving[k])] === w) {
          sum ^= crossed[leaving[k]]
          break
        }
    })
    return sum
  }

  private shortestWays(root: number): { away: Float64Array; came: Int32Array } {
    const { mesh, length, start, leaving, points } = this
    const away = new Float64Array(points).fill(Infinity)
    const came = new Int32Array(points).fill(-1)
    const done = new Uint8Array(points)
    away[root] = 0
    // Half-edges wait by the length of the way to their tips.
    const heap = new CostHeap(mesh.indices.length)
    const open = (v: number): void => {
      done[v] = 1
      for (let k = start[v]; k < start[v + 1]; k++) {
        const h = leaving[k]
        const w = mesh.indices[nextHalf(h)]
        const to = away[v] + length[h]
        if (done[w] || to >= away[w]) continue
        away[w] = to
        came[w] = h
        heap.push(h, to)
      }
    }
    open(root)
    while (heap.size > 0) {
      const h = heap.top()
      heap.pop()
      const w = mesh.indices[nextHalf(h)]
      if (!done[w] && came[w] === h) open(w)
    }
    return { away, came }
  }

  /** The ways to both ends of an edge and the edge itself, without what they share. */
  private loopOf(edge: number, came: Int32Array): HandleLoop {
    const { indices } = this.mesh
    const wayTo = (v: number): number[] => {
      const out = [v]
      for (let h = came[v]; h >= 0; h = came[indices[h]]) out.push(indices[h])
      return out.reverse()
    }
    const [a, b] = [wayTo(indices[edge]), wayTo(indices[nextHalf(edge)])]
    let shared = 0
    while (shared + 1 < Math.min(a.length, b.length) && a[shared + 1] === b[shared + 1]) shared++
    const points = [...a.slice(shared), ...b.slice(shared + 1).reverse()]
    const { positions: p } = this.mesh
    let lengthMm = 0
    points.forEach((v, i) => {
      const w = points[(i + 1) % points.length]
      lengthMm += Math.hypot(p[v * 3] - p[w * 3], p[v * 3 + 1] - p[w * 3 + 1], p[v * 3 + 2] - p[w * 3 + 2])
    })
    return { points: Int32Array.from(points), lengthMm }
  }
}
