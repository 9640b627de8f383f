import type { TriangleMesh } from '../shapes'
import { nextHalf, previousHalf } from './half-edges'

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
 * Orders half-edges by their two ends (two counting sorts, the higher end first, so that time and memory grow with the
 * faces alone), and pairs up what stands together.
 */
export function edgeTopology(mesh: TriangleMesh): EdgeTopology {
  const { indices } = mesh
  const vertices = mesh.positions.length / 3
  const { low, high } = endsOf(indices)
  const order = countingSort(low, vertices, countingSort(high, vertices, null))
  const twin = new Int32Array(indices.length).fill(-1)
  let edges = 0,
    borderEdges = 0,
    nonManifoldEdges = 0,
    flippedEdges = 0
  for (let i = 0; i < order.length;) {
    const a = order[i]
    let end = i + 1
    while (end < order.length && high[order[end]] === high[a] && low[order[end]] === low[a]) end++
    edges++
    if (end === i + 1) borderEdges++
    else if (end === i + 2) {
      const b = order[i + 1]
      const opposite = indices[a] !== indices[b]
      if (!opposite) flippedEdges++
      twin[a] = opposite ? b : -2
      twin[b] = opposite ? a : -2
    } else {
      nonManifoldEdges++
      for (let k = i; k < end; k++) twin[order[k]] = -2
    }
    i = end
  }
  return { twin, edges, borderEdges, nonManifoldEdges, flippedEdges }
}

/** Lower and higher end of every half-edge. */
function endsOf(indices: Uint32Array): { low: Uint32Array; high: Uint32Array } {
  const low = new Uint32Array(indices.length),
    high = new Uint32Array(indices.length)
  for (let f = 0; f < indices.length; f += 3)
    for (let k = 0; k < 3; k++) {
      const a = indices[f + k],
        b = indices[k === 2 ? f : f + k + 1]
      low[f + k] = a < b ? a : b
      high[f + k] = a < b ? b : a
    }
  return { low, high }
}

/** Numbers 0 … n−1, or a list of them, by a key below `keys`; those of one key stay in their order. */
function countingSort(key: Uint32Array, keys: number, list: Int32Array | null): Int32Array {
  const at = new Int32Array(keys + 1)
  for (let i = 0; i < key.length; i++) at[key[i] + 1]++
  for (let k = 0; k < keys; k++) at[k + 1] += at[k]
  const out = new Int32Array(key.length)
  if (list) for (let i = 0; i < list.length; i++) out[at[key[list[i]]]++] = list[i]
  else for (let i = 0; i < key.length; i++) out[at[key[i]]++] = i
  return out
}

/** 1 for points at edges without two faces that run them in opposite directions. */
export function borderPoints(mesh: TriangleMesh): Uint8Array {
  const { twin } = edgeTopology(mesh)
  const out = new Uint8Array(mesh.positions.length / 3)
  for (let h = 0; h < twin.length; h++) if (twin[h] < 0) out[mesh.indices[h]] = out[mesh.indices[nextHalf(h)]] = 1
  return out
}

export interface BoundaryLoop {
  /** Vertices in the order in which a filling must run to face outward. */
  readonly vertices: Int32Array
  readonly perimeterMm: number
}

/**
 * Closed chains of border edges. At a point where several surfaces touch a chain goes on across the gap it runs along,
 * not round the faces it comes from: the rims of two holes that share a corner are two.
 */
export function boundaryLoops(mesh: TriangleMesh, topology: EdgeTopology): BoundaryLoop[] {
  const { indices, positions: p } = mesh
  const { twin } = topology
  // The filling runs against the border: from the end of a half-edge to its start.
  const outgoing = new Map<number, number[]>()
  for (let h = 0; h < indices.length; h++) {
    if (twin[h] !== -1) continue
    const end = indices[nextHalf(h)]
    const list = outgoing.get(end)
    if (list) list.push(h)
    else outgoing.set(end, [h])
  }
  const loops: BoundaryLoop[] = []
  for (const [from, list] of outgoing) {
    while (list.length > 0) {
      const chain = [from]
      const placed = new Map([[from, 0]])
      let h = list.pop()!
      for (;;) {
        const v = indices[h]
        const known = placed.get(v)
        if (known !== undefined) {
          // A figure of eight: cut off the closed part and go on with the rest.
          const loop = chain.splice(known)
          for (const w of loop) placed.delete(w)
          loops.push({ vertices: Int32Array.from(loop), perimeterMm: perimeter(p, loop) })
          if (chain.length === 0) break
        }
        placed.set(v, chain.length)
        chain.push(v)
        const step = takeAcross(outgoing.get(v), h, twin)
        if (step === undefined) break
        h = step
      }
    }
  }
  return loops.sort((a, b) => b.perimeterMm - a.perimeterMm)
}

/** Takes a border out of those that leave a point: one of other faces than the chain came along, where there is one. */
function takeAcross(list: number[] | undefined, came: number, twin: Int32Array): number | undefined {
  if (!list || list.length < 2) return list?.pop()
  // Round the faces the chain came along, from the point's own half-edge of the border to the other end of the fan.
  let h = previousHalf(came)
  while (twin[h] >= 0) h = previousHalf(twin[h])
  const across = list.findIndex((other) => other !== h)
  return list.splice(across, 1)[0]
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
