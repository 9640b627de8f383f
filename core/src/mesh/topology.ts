import type { TriangleMesh } from '../shapes'

/**
 * Which faces meet at which edge. A half-edge is numbered 3·face + corner and runs from that corner to the next one.
 * `twin` is the half-edge that runs the other way, −1 at a border, −2 where the edge is not manifold or both faces run
 * the same way.
 */
export interface EdgeTopology {
  readonly twin: Int32Array
  /** Undirected edges in all. */
  readonly edges: number
  readonly borderEdges: number
  /** Edges with more than two faces. */
  readonly nonManifoldEdges: number
  /** Edges whose two faces run the same way: one of them is flipped. */
  readonly flippedEdges: number
}

/**
 * Buckets half-edges by their lower vertex (counting sort), orders each bucket by the other end, and pairs up what
 * stands together.
 */
export function edgeTopology(mesh: TriangleMesh): EdgeTopology {
  const { indices } = mesh
  const vertices = mesh.positions.length / 3
  const start = new Int32Array(vertices + 1)
  const next = (h: number): number => (h % 3 === 2 ? h - 2 : h + 1)
  for (let h = 0; h < indices.length; h++) start[Math.min(indices[h], indices[next(h)]) + 1]++
  for (let v = 0; v < vertices; v++) start[v + 1] += start[v]
  const at = start.slice()
  const bucket = new Int32Array(indices.length)
  for (let h = 0; h < indices.length; h++) bucket[at[Math.min(indices[h], indices[next(h)])]++] = h
  const twin = new Int32Array(indices.length).fill(-1)
  let edges = 0,
    borderEdges = 0,
    nonManifoldEdges = 0,
    flippedEdges = 0
  const group: number[] = []
  const otherEnd = (h: number): number => Math.max(indices[h], indices[next(h)])
  for (let v = 0; v < vertices; v++) {
    const edge = bucket.subarray(start[v], start[v + 1])
    sortByKey(edge, otherEnd)
    for (let i = 0; i < edge.length;) {
      const other = otherEnd(edge[i])
      group.length = 0
      for (; i < edge.length && otherEnd(edge[i]) === other; i++) group.push(edge[i])
      edges++
      if (group.length === 1) borderEdges++
      else if (group.length === 2) {
        const [a, b] = group as [number, number]
        if (indices[a] !== indices[b]) {
          twin[a] = b
          twin[b] = a
        } else {
          flippedEdges++
          twin[a] = -2
          twin[b] = -2
        }
      } else {
        nonManifoldEdges++
        for (const g of group) twin[g] = -2
      }
    }
  }
  return { twin, edges, borderEdges, nonManifoldEdges, flippedEdges }
}

/** Few by insertion, many by the platform's sort; equal keys keep their order. */
function sortByKey(list: Int32Array, key: (h: number) => number): void {
  if (list.length > 32) {
    list.set(Int32Array.from(list).sort((a, b) => key(a) - key(b) || a - b))
    return
  }
  for (let i = 1; i < list.length; i++) {
    const h = list[i],
      k = key(h)
    let j = i - 1
    for (; j >= 0 && key(list[j]) > k; j--) list[j + 1] = list[j]!
    list[j + 1] = h
  }
}

export interface BoundaryLoop {
  /** Vertices in the order in which a filling must run to face outward. */
  readonly vertices: Int32Array
  readonly perimeterMm: number
}

/**
 * Closed chains of border edges. At a vertex where several borders meet the chain turns into the one not yet walked.
 */
export function boundaryLoops(mesh: TriangleMesh, topology: EdgeTopology): BoundaryLoop[] {
  const { indices, positions: p } = mesh
  const outgoing = new Map<number, number[]>()
  for (let h = 0; h < indices.length; h++) {
    if (topology.twin[h] !== -1) continue
    // The filling runs against the border: from the end of the half-edge to its start.
    const end = indices[h % 3 === 2 ? h - 2 : h + 1]
    const list = outgoing.get(end)
    if (list) list.push(indices[h])
    else outgoing.set(end, [indices[h]])
  }
  const loops: BoundaryLoop[] = []
  for (const [from, list] of outgoing) {
    while (list.length > 0) {
      const chain = [from]
      const placed = new Map([[from, 0]])
      let v = list.pop()!
      for (;;) {
        const known = placed.get(v)
        if (known !== undefined) {
          // A figure of eight: cut off the closed part and go on with the rest.
          const loop = chain.splice(known)
          for (const w of loop) placed.delete(w)
          loops.push({ vertices: Int32Array.from(loop), perimeterMm: perimeter(p, loop) })
          if (chain.length === 0) break
          placed.set(v, chain.length)
          chain.push(v)
        } else {
          placed.set(v, chain.length)
          chain.push(v)
        }
        const step = outgoing.get(v)?.pop()
        if (step === undefined) break
        v = step
      }
    }
  }
  return loops.sort((a, b) => b.perimeterMm - a.perimeterMm)
}

function perimeter(p: Float32Array, loop: readonly number[]): number {
  let sum = 0
  for (let i = 0; i < loop.length; i++) {
    const a = loop[i] * 3,
      b = loop[(i + 1) % loop.length] * 3
    sum += Math.hypot(p[a] - p[b], p[a + 1] - p[b + 1], p[a + 2] - p[b + 2])
  }
  return sum
}
