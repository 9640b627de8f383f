import { checkpoint, type RunContext } from '../context'
import { smallestEigen3 } from '../linear/symmetric3'
import { CellBlock, forEachNeighbourhood, inCellOrder } from '../spatial/neighbourhoods'
import { CellIndex } from '../spatial/cell-index'
import type { KdTree } from '../spatial/kd-tree'
import { pickPoints, type PointCloud } from '../shapes'

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
 * section 3.3). Rim: about 120° or more round the point in its tangent plane are empty.
 * O(n) for even spacing; result fresh.
 */
export function estimateFeatures(cloud: PointCloud, context: RunContext, options: FeatureOptions = {}): SurfaceFeatures {
  const k = (options.neighbours ?? FEATURE_DEFAULTS.neighbours) + 1
  const { positions } = cloud
  const n = positions.length / 3
  const normals = new Float32Array(n * 3)
  const boundary = new Uint8Array(n)
  const graph = needsPropagation(cloud) ? new Int32Array(n * GRAPH_K).fill(-1) : undefined
  const sampleStep = Math.max(1, Math.floor(n / 20000))
  const gaps = new Samples(n / sampleStep + 1)
  const residuals = new Samples(n / sampleStep + 1)
  const patch = new Patch(positions)
  let visited = 0
  forEachNeighbourhood(positions, k, graph !== undefined, (i, ids, d2, found) => {
    patch.read(i, ids, found)
    normals[i * 3] = patch.nx
    normals[i * 3 + 1] = patch.ny
    normals[i * 3 + 2] = patch.nz
    boundary[i] = patch.oneSided(i, ids, found) ? 1 : 0
    if (graph) for (let j = 1; j < found && j <= GRAPH_K; j++) graph[i * GRAPH_K + j - 1] = ids[j]!
    if (visited++ % sampleStep === 0 && found > 3) {
      gaps.add(Math.sqrt(secondSmallest(d2, found)))
      residuals.add(patch.residualMm)
    }
  }, (done) => checkpoint(context, done, n, 'Reading the surface'))
  orient(cloud, normals, graph)
  return { normals, boundary, spacingMm: gaps.median(), noiseMm: residuals.median() }
}

/**
 * The same figures at a quarter of the cost, for matching: neighbourhoods of the full data (all points within the radius that usually holds twenty) are
 * read at an even sample of the points only, one for each cube of that edge, and every point takes what its cube found. A normal is then off by what the surface turns within a cube, which
 * matching averages out. Needs the cloud's kd-tree.
 */
export function estimateFeaturesSparsely(cloud: PointCloud, tree: KdTree, context: RunContext): SurfaceFeatures {
  const { positions } = cloud
  const n = positions.length / 3
  const k = FEATURE_DEFAULTS.neighbours + 1
  const ids = new Int32Array(k)
  const d2 = new Float64Array(k)
  const knn = (i: number): number => tree.knn(positions[i * 3]!, positions[i * 3 + 1]!, positions[i * 3 + 2]!, k, ids, d2)
  const gaps = new Samples(2001)
  const reaches = new Samples(2001)
  for (let o = 0; o < n; o += Math.max(1, Math.floor(n / 2000))) {
    const found = knn(tree.ids[o]!)
    gaps.add(Math.sqrt(d2[Math.min(1, found - 1)]!))
    reaches.add(Math.sqrt(d2[found - 1]!))
  }
  const spacingMm = gaps.median()
  // The usual reach of twenty neighbours serves as radius and as edge of the cubes.
  const reach = reaches.median()
  if (!(reach > 0) || n < 200) return estimateFeatures(cloud, context)
  const cells = new CellIndex(positions, reach)
  const own = inCellOrder(positions, cells)
  const nodeOf = new Int32Array(n)
  for (let c = 0; c < cells.count; c++) for (let s = cells.start[c]!; s < cells.start[c + 1]!; s++) nodeOf[cells.items[s]!] = c
  const nodes = nodeCloud(cloud, cells, own)
  const nodeNormals = new Float32Array(cells.count * 3)
  const nodeBoundary = new Uint8Array(cells.count)
  const graph = needsPropagation(cloud) ? new Int32Array(cells.count * GRAPH_K).fill(-1) : undefined
  const residuals = new Samples(cells.count)
  const patch = new Patch(positions)
  const block = new CellBlock()
  for (let c = 0; c < cells.count; c++) {
    if ((c & 1023) === 0) checkpoint(context, c, cells.count, 'Reading the surface')
    const i = nodes.index[c]!
    block.gather(cells, c, own)
    let near: Int32Array
    let found = block.within(positions[i * 3]!, positions[i * 3 + 1]!, positions[i * 3 + 2]!, cells.edgeMm)
    if (found < LEAST_NEIGHBOURS) {
      found = knn(i)
      near = ids
    } else near = block.ids
    patch.read(i, near, found)
    nodeNormals[c * 3] = patch.nx
    nodeNormals[c * 3 + 1] = patch.ny
    nodeNormals[c * 3 + 2] = patch.nz
    nodeBoundary[c] = patch.oneSided(i, near, found) ? 1 : 0
    if (found > 3) residuals.add(patch.residualMm)
    if (graph) linkNodes(graph, c, nodeOf, near, found)
  }
  orient(nodes.cloud, nodeNormals, graph)
  const normals = new Float32Array(n * 3)
  const boundary = new Uint8Array(n)
  for (let i = 0; i < n; i++) {
    const c = nodeOf[i]!
    normals[i * 3] = nodeNormals[c * 3]!
    normals[i * 3 + 1] = nodeNormals[c * 3 + 1]!
    normals[i * 3 + 2] = nodeNormals[c * 3 + 2]!
    boundary[i] = nodeBoundary[c]!
  }
  return { normals, boundary, spacingMm, noiseMm: residuals.median() }
}

/** With fewer points than this within the radius the twenty nearest are taken instead. */
const LEAST_NEIGHBOURS = 10

/** Of each cell the point nearest to its centre, with what orienting needs. */
function nodeCloud(cloud: PointCloud, cells: CellIndex, own: Float32Array): { index: Int32Array; cloud: PointCloud } {
  const index = new Int32Array(cells.count)
  const e = cells.edgeMm
  for (let c = 0; c < cells.count; c++) {
    const x = (cells.x[c]! + 0.5) * e, y = (cells.y[c]! + 0.5) * e, z = (cells.z[c]! + 0.5) * e
    let best = Infinity
    for (let s = cells.start[c]!; s < cells.start[c + 1]!; s++) {
      const dx = own[s * 3]! - x, dy = own[s * 3 + 1]! - y, dz = own[s * 3 + 2]! - z
      const d = dx * dx + dy * dy + dz * dz
      if (d < best) { best = d; index[c] = cells.items[s]! }
    }
  }
  return { index, cloud: pickPoints(cloud, index) }
}

/** Links a node to eight other nodes among the neighbours; links back are added by `reverseGraph`. */
function linkNodes(graph: Int32Array, c: number, nodeOf: Int32Array, ids: Int32Array, found: number): void {
  let m = 0
  next: for (let j = 0; j < found && m < GRAPH_K; j++) {
    const other = nodeOf[ids[j]!]!
    if (other === c) continue
    for (let l = 0; l < m; l++) if (graph[c * GRAPH_K + l] === other) continue next
    graph[c * GRAPH_K + m++] = other
  }
}

/** The local plane of a neighbourhood: normal (sign open) and out-of-plane scatter. */
class Patch {
  nx = 0
  ny = 0
  nz = 1
  residualMm = 0
  private readonly eigen = new Float64Array(6)

  constructor(private readonly positions: Float32Array) {}

  read(i: number, ids: Int32Array, found: number): void {
    const p = this.positions
    const px = p[i * 3]!, py = p[i * 3 + 1]!, pz = p[i * 3 + 2]!
    let sx = 0, sy = 0, sz = 0, xx = 0, xy = 0, xz = 0, yy = 0, yz = 0, zz = 0
    for (let j = 0; j < found; j++) {
      const q = ids[j]! * 3
      const x = p[q]! - px, y = p[q + 1]! - py, z = p[q + 2]! - pz
      sx += x; sy += y; sz += z
      xx += x * x; xy += x * y; xz += x * z; yy += y * y; yz += y * z; zz += z * z
    }
    const m = 1 / found
    const { eigen } = this
    smallestEigen3(xx - sx * sx * m, xy - sx * sy * m, xz - sx * sz * m, yy - sy * sy * m, yz - sy * sz * m, zz - sz * sz * m, eigen)
    this.nx = eigen[3]!
    this.ny = eigen[4]!
    this.nz = eigen[5]!
    this.residualMm = found > 3 ? Math.sqrt(Math.max(0, eigen[0]!) / (found - 3)) : 0
  }

  /** Whether about 120° or more round the point are empty, seen along the normal last read. */
  oneSided(i: number, ids: Int32Array, found: number): boolean {
    return oneSided(this.positions, this.positions[i * 3]!, this.positions[i * 3 + 1]!, this.positions[i * 3 + 2]!, this.nx, this.ny, this.nz, ids, found)
  }
}

/** Values for a median, without boxing. */
class Samples {
  private readonly values: Float64Array
  private count = 0
  constructor(room: number) {
    this.values = new Float64Array(Math.ceil(room) + 1)
  }
  add(v: number): void {
    this.values[this.count++] = v
  }
  median(): number {
    return this.count === 0 ? 0 : this.values.subarray(0, this.count).sort()[this.count >> 1]!
  }
}

const GRAPH_K = 8

/** The nearest neighbour's squared distance: the smallest is the point itself. */
function secondSmallest(d2: Float64Array, n: number): number {
  let least = Infinity, second = Infinity
  for (let j = 0; j < n; j++) {
    const d = d2[j]!
    if (d < least) { second = least; least = d } else if (d < second) second = d
  }
  return second
}

function needsPropagation(cloud: PointCloud): boolean {
  return !cloud.normals && !(cloud.frame && cloud.frameOrigins)
}

export function median(values: ArrayLike<number>): number {
  return values.length === 0 ? 0 : Float64Array.from(values).sort()[values.length >> 1]!
}

/** Sectors of the tangent plane: an empty run of this many of 32 is about a third of the circle. */
const EMPTY_RUN = 10

/**
 * True where the neighbours, seen in the tangent plane, leave about 120° or more empty. Directions are marked in 32 sectors of a pseudo-angle (no
 * arctangent in the loop) and the empty run is found with shifts.
 */
function oneSided(p: Float32Array, px: number, py: number, pz: number, nx: number, ny: number, nz: number, ids: Int32Array, found: number): boolean {
  // Duff et al. 2017, "Building an orthonormal basis, revisited".
  const sign = nz >= 0 ? 1 : -1
  const a = -1 / (sign + nz)
  const b = nx * ny * a
  const ux = 1 + sign * nx * nx * a, uy = sign * b, uz = -sign * nx
  const vx = b, vy = sign + ny * ny * a, vz = -ny
  let taken = 0
  for (let j = 0; j < found; j++) {
    const q = ids[j]! * 3
    const x = p[q]! - px, y = p[q + 1]! - py, z = p[q + 2]! - pz
    const u = x * ux + y * uy + z * uz
    const v = x * vx + y * vy + z * vz
    const s = Math.abs(u) + Math.abs(v)
    if (s < 1e-12) continue
    const t = v / s
    // 0…4 round the circle.
    const angle = u < 0 ? 2 - t : v < 0 ? 4 + t : t
    taken |= 1 << (angle * 8)
  }
  // Bit i stays where the run of empty sectors that begins at i is long enough.
  let empty = ~taken
  empty &= rotate(empty, 1)
  empty &= rotate(empty, 2)
  empty &= rotate(empty, 4)
  return (empty & rotate(empty, EMPTY_RUN - 8)) !== 0
}

function rotate(bits: number, by: number): number {
  return (bits >>> by) | (bits << (32 - by))
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
    // Rounding may put |n·n′| a little over 1.
    const slot = Math.max(0, Math.min(63, Math.floor((1 - Math.abs(dot)) * 64)))
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
