import { checkpoint, type RunContext } from '../context'
import { smallestEigen3 } from '../linear/symmetric3'
import { KdTree } from '../spatial/kd-tree'
import type { PointCloud } from '../shapes'

export interface SurfaceFeatures {
  /** n×3 unit normals, oriented (see `estimateFeatures`). */
  readonly normals: Float32Array
  /** 1 where the neighbourhood is one-sided: the rim of the data. */
  readonly boundary: Uint8Array
  /** Median distance to the nearest neighbour, mm. */
  readonly spacingMm: number
  /** Median out-of-plane residual of the neighbourhoods, mm: the scatter of the device as the points show it. */
  readonly noiseMm: number
}

export interface FeatureOptions {
  /** @defaultValue 20 (without the point itself) */
  readonly neighbours?: number
}

export const FEATURE_DEFAULTS = { neighbours: 20 } as const

/**
 * Normals, rim flags, spacing and scatter of a cloud in one pass over its neighbourhoods.
 *
 * Normal: eigenvector of the smallest eigenvalue of the neighbours' scatter matrix (Hoppe et al. 1992, "Surface
 * reconstruction from unorganized points"). Orientation: towards the frame's origin where frames are known; as given
 * where the cloud has normals already; otherwise carried along the neighbour graph from the topmost point (same paper,
 * section 3.3). Rim: the largest empty angle round the point in its tangent plane is over 120°.
 * O(n log n); result fresh.
 */
export function estimateFeatures(cloud: PointCloud, context: RunContext, options: FeatureOptions = {}): SurfaceFeatures {
  const k = (options.neighbours ?? FEATURE_DEFAULTS.neighbours) + 1
  const { positions } = cloud
  const n = positions.length / 3
  const tree = new KdTree(positions)
  const normals = new Float32Array(n * 3)
  const boundary = new Uint8Array(n)
  const graph = needsPropagation(cloud) ? new Int32Array(n * GRAPH_K).fill(-1) : undefined
  const ids = new Int32Array(k)
  const d2 = new Float64Array(k)
  const eigen = new Float64Array(6)
  const angles = new Float64Array(k)
  const sampleStep = Math.max(1, Math.floor(n / 20000))
  const gaps: number[] = []
  const residuals: number[] = []
  for (let o = 0; o < n; o++) {
    if ((o & 1023) === 0) checkpoint(context, o, n, 'Reading the surface')
    const i = tree.ids[o]!
    const px = positions[i * 3]!, py = positions[i * 3 + 1]!, pz = positions[i * 3 + 2]!
    const found = tree.knn(px, py, pz, k, ids, d2)
    let sx = 0, sy = 0, sz = 0, xx = 0, xy = 0, xz = 0, yy = 0, yz = 0, zz = 0
    for (let j = 0; j < found; j++) {
      const q = ids[j]! * 3
      const x = positions[q]! - px, y = positions[q + 1]! - py, z = positions[q + 2]! - pz
      sx += x; sy += y; sz += z
      xx += x * x; xy += x * y; xz += x * z; yy += y * y; yz += y * z; zz += z * z
    }
    const m = 1 / found
    smallestEigen3(xx - sx * sx * m, xy - sx * sy * m, xz - sx * sz * m, yy - sy * sy * m, yz - sy * sz * m, zz - sz * sz * m, eigen)
    const nx = eigen[3]!, ny = eigen[4]!, nz = eigen[5]!
    normals[i * 3] = nx
    normals[i * 3 + 1] = ny
    normals[i * 3 + 2] = nz
    boundary[i] = largestGap(positions, px, py, pz, nx, ny, nz, ids, found, angles) > (2 * Math.PI) / 3 ? 1 : 0
    if (graph) for (let j = 1; j < found && j <= GRAPH_K; j++) graph[i * GRAPH_K + j - 1] = ids[j]!
    if (o % sampleStep === 0 && found > 3) {
      gaps.push(Math.sqrt(d2[1]!))
      residuals.push(Math.sqrt(Math.max(0, eigen[0]!) / (found - 3)))
    }
  }
  orient(cloud, normals, graph)
  return { normals, boundary, spacingMm: median(gaps), noiseMm: median(residuals) }
}

const GRAPH_K = 8

function needsPropagation(cloud: PointCloud): boolean {
  return !cloud.normals && !(cloud.frame && cloud.frameOrigins)
}

export function median(values: number[]): number {
  if (values.length === 0) return 0
  values.sort((a, b) => a - b)
  return values[values.length >> 1]!
}

/** Largest empty angle, radians, between neighbours seen in the tangent plane. Pseudo-angles avoid atan2 in the loop. */
function largestGap(
  p: Float32Array, px: number, py: number, pz: number, nx: number, ny: number, nz: number,
  ids: Int32Array, found: number, angles: Float64Array,
): number {
  // Duff et al. 2017, "Building an orthonormal basis, revisited".
  const sign = nz >= 0 ? 1 : -1
  const a = -1 / (sign + nz)
  const b = nx * ny * a
  const ux = 1 + sign * nx * nx * a, uy = sign * b, uz = -sign * nx
  const vx = b, vy = sign + ny * ny * a, vz = -ny
  let m = 0
  for (let j = 0; j < found; j++) {
    const q = ids[j]! * 3
    const x = p[q]! - px, y = p[q + 1]! - py, z = p[q + 2]! - pz
    const u = x * ux + y * uy + z * uz
    const v = x * vx + y * vy + z * vz
    const s = Math.abs(u) + Math.abs(v)
    if (s < 1e-12) continue
    const t = v / s
    const angle = u < 0 ? 2 - t : v < 0 ? 4 + t : t
    let i = m++
    while (i > 0 && angles[i - 1]! > angle) { angles[i] = angles[i - 1]!; i-- }
    angles[i] = angle
  }
  if (m < 3) return 2 * Math.PI
  let gap = angles[0]! + 4 - angles[m - 1]!
  for (let i = 1; i < m; i++) gap = Math.max(gap, angles[i]! - angles[i - 1]!)
  return (gap * Math.PI) / 2
}

function orient(cloud: PointCloud, normals: Float32Array, graph: Int32Array | undefined): void {
  const n = normals.length / 3
  const { positions, frame, frameOrigins } = cloud
  if (frame && frameOrigins) {
    for (let i = 0; i < n; i++) {
      const f = frame[i]! * 3
      const d = normals[i * 3]! * (frameOrigins[f]! - positions[i * 3]!)
        + normals[i * 3 + 1]! * (frameOrigins[f + 1]! - positions[i * 3 + 1]!)
        + normals[i * 3 + 2]! * (frameOrigins[f + 2]! - positions[i * 3 + 2]!)
      if (d < 0) flip(normals, i)
    }
  } else if (cloud.normals) {
    const given = cloud.normals
    for (let i = 0; i < n; i++) {
      if (normals[i * 3]! * given[i * 3]! + normals[i * 3 + 1]! * given[i * 3 + 1]! + normals[i * 3 + 2]! * given[i * 3 + 2]! < 0) flip(normals, i)
    }
  } else if (graph) propagate(positions, normals, graph)
}

function flip(normals: Float32Array, i: number): void {
  normals[i * 3] = -normals[i * 3]!
  normals[i * 3 + 1] = -normals[i * 3 + 1]!
  normals[i * 3 + 2] = -normals[i * 3 + 2]!
}

/** Prim's spanning tree over the neighbour graph with weight 1 − |n·n'|, in 64 buckets instead of a heap. */
function propagate(positions: Float32Array, normals: Float32Array, graph: Int32Array): void {
  const n = normals.length / 3
  const done = new Uint8Array(n)
  const order = Int32Array.from({ length: n }, (_, i) => i).sort((a, b) => positions[b * 3 + 2]! - positions[a * 3 + 2]!)
  const buckets: number[][] = Array.from({ length: 64 }, () => [])
  let lowest = 64
  const reverse = reverseGraph(graph, n)
  const offer = (from: number, to: number): void => {
    if (to < 0 || done[to]) return
    const dot = normals[from * 3]! * normals[to * 3]! + normals[from * 3 + 1]! * normals[to * 3 + 1]! + normals[from * 3 + 2]! * normals[to * 3 + 2]!
    const slot = Math.min(63, Math.floor((1 - Math.abs(dot)) * 64))
    buckets[slot]!.push(from, to)
    if (slot < lowest) lowest = slot
  }
  const spread = (i: number): void => {
    done[i] = 1
    for (let j = 0; j < GRAPH_K; j++) offer(i, graph[i * GRAPH_K + j]!)
    for (let j = reverse.start[i]!; j < reverse.start[i + 1]!; j++) offer(i, reverse.items[j]!)
  }
  for (let s = 0; s < n; s++) {
    const seed = order[s]!
    if (done[seed]) continue
    // The topmost point of a part looks up.
    if (normals[seed * 3 + 2]! < 0) flip(normals, seed)
    spread(seed)
    for (;;) {
      while (lowest < 64 && buckets[lowest]!.length === 0) lowest++
      if (lowest === 64) break
      const to = buckets[lowest]!.pop()!
      const from = buckets[lowest]!.pop()!
      if (done[to]) continue
      const dot = normals[from * 3]! * normals[to * 3]! + normals[from * 3 + 1]! * normals[to * 3 + 1]! + normals[from * 3 + 2]! * normals[to * 3 + 2]!
      if (dot < 0) flip(normals, to)
      spread(to)
    }
  }
}

function reverseGraph(graph: Int32Array, n: number): { start: Int32Array; items: Int32Array } {
  const start = new Int32Array(n + 1)
  for (const to of graph) if (to >= 0) start[to + 1]!++
  for (let i = 0; i < n; i++) start[i + 1]! += start[i]!
  const items = new Int32Array(start[n]!)
  const at = start.slice()
  for (let i = 0; i < n * GRAPH_K; i++) if (graph[i]! >= 0) items[at[graph[i]!]!++] = Math.floor(i / GRAPH_K)
  return { start, items }
}
