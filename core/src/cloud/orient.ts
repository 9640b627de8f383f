import type { PointCloud } from '../shapes'

/** Neighbours of a point that orientation may be carried along. */
export const GRAPH_K = 8

/** Whether normals must be carried along the neighbour graph, because the cloud says nothing of which way it faces. */
export function needsPropagation(cloud: PointCloud): boolean {
  return !cloud.normals && !(cloud.frame && cloud.frameOrigins)
}

/**
 * Turns normals in place: towards the frame's origin where frames are known, as given where the cloud has normals, else
 * along the graph (n × GRAPH_K neighbours, −1 for none).
 */
export function orient(cloud: PointCloud, normals: Float32Array, graph: Int32Array | undefined): void {
  const n = normals.length / 3
  const { positions, frame, frameOrigins } = cloud
  if (frame && frameOrigins) {
    for (let i = 0; i < n; i++) {
      const f = frame[i] * 3
      const d =
        normals[i * 3] * (frameOrigins[f] - positions[i * 3]) +
        normals[i * 3 + 1] * (frameOrigins[f + 1] - positions[i * 3 + 1]) +
        normals[i * 3 + 2] * (frameOrigins[f + 2] - positions[i * 3 + 2])
      if (d < 0) flip(normals, i)
    }
  } else if (cloud.normals) {
    const given = cloud.normals
    for (let i = 0; i < n; i++) {
      if (
        normals[i * 3] * given[i * 3] + normals[i * 3 + 1] * given[i * 3 + 1] + normals[i * 3 + 2] * given[i * 3 + 2] <
        0
      )
        flip(normals, i)
    }
  } else if (graph) propagate(positions, normals, graph)
}

function flip(normals: Float32Array, i: number): void {
  normals[i * 3] = -normals[i * 3]
  normals[i * 3 + 1] = -normals[i * 3 + 1]
  normals[i * 3 + 2] = -normals[i * 3 + 2]
}

/** Prim's spanning tree over the neighbour graph with weight 1 − |n·n'|, in 64 buckets instead of a heap. */
function propagate(positions: Float32Array, normals: Float32Array, graph: Int32Array): void {
  const n = normals.length / 3
  const done = new Uint8Array(n)
  const order = Int32Array.from({ length: n }, (_, i) => i).sort((a, b) => positions[b * 3 + 2] - positions[a * 3 + 2])
  const buckets: number[][] = Array.from({ length: 64 }, () => [])
  let lowest = 64
  const reverse = reverseGraph(graph, n)
  const offer = (from: number, to: number): void => {
    if (to < 0 || done[to]) return
    const dot =
      normals[from * 3] * normals[to * 3] +
      normals[from * 3 + 1] * normals[to * 3 + 1] +
      normals[from * 3 + 2] * normals[to * 3 + 2]
    // Rounding may put |n·n′| a little over 1.
    const slot = Math.max(0, Math.min(63, Math.floor((1 - Math.abs(dot)) * 64)))
    buckets[slot].push(from, to)
    if (slot < lowest) lowest = slot
  }
  const spread = (i: number): void => {
    done[i] = 1
    for (let j = 0; j < GRAPH_K; j++) offer(i, graph[i * GRAPH_K + j])
    for (let j = reverse.start[i]; j < reverse.start[i + 1]; j++) offer(i, reverse.items[j])
  }
  for (let s = 0; s < n; s++) {
    const seed = order[s]
    if (done[seed]) continue
    // The topmost point of a part looks up, as far as one knows yet.
    if (normals[seed * 3 + 2] < 0) flip(normals, seed)
    const part: number[] = [seed]
    spread(seed)
    for (;;) {
      while (lowest < 64 && buckets[lowest].length === 0) lowest++
      if (lowest === 64) break
      const to = buckets[lowest].pop()!
      const from = buckets[lowest].pop()!
      if (done[to]) continue
      const dot =
        normals[from * 3] * normals[to * 3] +
        normals[from * 3 + 1] * normals[to * 3 + 1] +
        normals[from * 3 + 2] * normals[to * 3 + 2]
      if (dot < 0) flip(normals, to)
      part.push(to)
      spread(to)
    }
    if (outwardness(positions, normals, part) < -LEAST_VOTE) for (const i of part) flip(normals, i)
  }
}

/** Directions whose extreme points are asked: to the faces, edges and corners of a cube. */
const DIRECTIONS = [-1, 0, 1]
  .flatMap((x) => [-1, 0, 1].flatMap((y) => [-1, 0, 1].map((z) => [x, y, z] as const)))
  .filter(([x, y, z]) => x !== 0 || y !== 0 || z !== 0)
  .map((d) => d.map((v) => v / Math.hypot(...d)))
/** Of a flat part the two sides say the same, and its topmost point is believed. */
const LEAST_VOTE = 0.04

/**
 * How far a part faces outward: the outermost point in each direction looks there on a closed surface. Of a part that is
 * seen from one side only those of that side do, and those of its rim look across, so that the mean tells the side.
 */
function outwardness(p: Float32Array, n: Float32Array, part: readonly number[]): number {
  const sides = outermostFacing(p, n, part)
  return sides.reduce((a, b) => a + b, 0) / sides.length
}

/**
 * For each of 26 directions, how the outermost of some points faces there: 1 straight on, −1 straight back.
 * @param part numbers of the points that are asked, at least one
 */
export function outermostFacing(p: Float32Array, n: Float32Array, part: ArrayLike<number>): number[] {
  return DIRECTIONS.map(([x, y, z]) => {
    let far = -Infinity,
      at = part[0]
    for (let k = 0; k < part.length; k++) {
      const i = part[k]
      const d = p[i * 3] * x + p[i * 3 + 1] * y + p[i * 3 + 2] * z
      if (d > far) {
        far = d
        at = i
      }
    }
    return n[at * 3] * x + n[at * 3 + 1] * y + n[at * 3 + 2] * z
  })
}

function reverseGraph(graph: Int32Array, n: number): { start: Int32Array; items: Int32Array } {
  const start = new Int32Array(n + 1)
  for (const to of graph) if (to >= 0) start[to + 1]++
  for (let i = 0; i < n; i++) start[i + 1] += start[i]
  const items = new Int32Array(start[n])
  const at = start.slice()
  for (let i = 0; i < n * GRAPH_K; i++) if (graph[i] >= 0) items[at[graph[i]]++] = Math.floor(i / GRAPH_K)
  return { start, items }
}
