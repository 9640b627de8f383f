import { checkpoint, type RunContext } from '../context'
import { Samples } from '../linear/samples'
import { CellBlock, fittingCells, inCellOrder } from '../spatial/neighbourhoods'
import type { CellIndex } from '../spatial/cell-index'
import { KdTree } from '../spatial/kd-tree'
import { pickPoints, type PointCloud } from '../shapes'
import { estimateFeatures, FEATURE_DEFAULTS, type SurfaceFeatures } from './normals'
import { GRAPH_K, needsPropagation, orient } from './orient'
import { Patch } from './patch'

/** With fewer points than this within the radius the twenty nearest are taken instead. */
const MIN_NEIGHBOURS = 10
/** Points wanted in a cell, which share one neighbourhood. */
const POINTS_PER_NODE = 4
/** A cell lies near a rim where about a fifth of the circle is empty. */
const NEAR_RIM_RUN = 6
/** Cosine between normals of one side of a wall, sharp edges left out. */
const SAME_SIDE = 0.3
/** Clouds below this are read whole. */
const MIN_POINTS = 400

/** Features, and the points in an order that keeps memory local (that of the cells they fall in). */
export interface OrderedFeatures extends SurfaceFeatures {
  readonly order: Int32Array
}

/**
 * The figures of `estimateFeatures` at a fraction of the cost, for matching: neighbourhoods of the full data (all
 * points within the radius that usually holds twenty) are read at one point of each occupied cell only, and every point
 * takes what its cell found. A normal is then off by what the surface turns within a cell of about four points, which
 * matching averages out.
 */
export function estimateFeaturesSparsely(cloud: PointCloud, context: RunContext): OrderedFeatures {
  const { positions } = cloud
  const n = positions.length / 3
  if (n < MIN_POINTS) return { ...estimateFeatures(cloud, context), order: Int32Array.from({ length: n }, (_, i) => i) }
  const k = FEATURE_DEFAULTS.neighbours + 1
  const cells = fittingCells(positions, POINTS_PER_NODE)
  const own = inCellOrder(positions, cells)
  const block = new CellBlock()
  const ids = new Int32Array(k)
  const d2 = new Float64Array(k)
  let tree: KdTree | undefined
  const knn = (i: number): number =>
    (tree ??= new KdTree(positions)).knn(positions[i * 3], positions[i * 3 + 1], positions[i * 3 + 2], k, ids, d2)
  const nodes = nodeCloud(cloud, cells, own)
  const gaps = new Samples(1001)
  const reaches = new Samples(1001)
  for (let c = 0; c < cells.count; c += Math.max(1, Math.floor(cells.count / 1000))) {
    const i = nodes.index[c]
    block.gather(cells, c, own)
    const found = block.nearest(
      positions[i * 3],
      positions[i * 3 + 1],
      positions[i * 3 + 2],
      1.25 * cells.edgeMm,
      k,
      ids,
      d2,
    )
    let nearest = Infinity,
      farthest = 0
    for (let j = 0; j < found; j++) {
      if (ids[j] !== i && d2[j] < nearest) nearest = d2[j]!
      if (d2[j] > farthest) farthest = d2[j]!
    }
    if (found > 1) gaps.add(Math.sqrt(nearest))
    reaches.add(found === k ? Math.sqrt(farthest) : 1.25 * cells.edgeMm)
  }
  const reach = Math.min(1.25 * cells.edgeMm, reaches.median())
  const nodeNormals = new Float32Array(cells.count * 3)
  const boundary = new Uint8Array(n)
  const nodeOf = new Int32Array(n)
  for (let c = 0; c < cells.count; c++)
    for (let s = cells.start[c]; s < cells.start[c + 1]; s++) nodeOf[cells.items[s]] = c
  const graph = needsPropagation(cloud) ? new Int32Array(cells.count * GRAPH_K).fill(-1) : undefined
  const residuals = new Samples(cells.count)
  const patch = new Patch(positions)
  let side = new Int32Array(256)
  for (let c = 0; c < cells.count; c++) {
    if ((c & 1023) === 0) checkpoint(context, c, cells.count, 'Reading the surface')
    const i = nodes.index[c]
    block.gather(cells, c, own)
    let found = block.within(positions[i * 3], positions[i * 3 + 1], positions[i * 3 + 2], reach)
    let near = block.ids
    if (found < MIN_NEIGHBOURS) {
      found = knn(i)
      near = ids
    }
    // The other side of a thin wall is another surface: where a take brings normals they tell the two apart.
    if (side.length < found) side = new Int32Array(2 * found)
    const facing = cloud.normals ? sameSide(cloud.normals, i, near, found, side) : 0
    if (facing >= MIN_NEIGHBOURS) patch.read(i, side, facing)
    else patch.read(i, near, found)
    nodeNormals[c * 3] = patch.nx
    nodeNormals[c * 3 + 1] = patch.ny
    nodeNormals[c * 3 + 2] = patch.nz
    // Near a rim each point of the cell is looked at for itself: some lie nearer to it than the one that was read.
    if (patch.oneSided(i, near, found, NEAR_RIM_RUN)) {
      for (let s = cells.start[c]; s < cells.start[c + 1]; s++) {
        const m = block.nearest(own[s * 3], own[s * 3 + 1], own[s * 3 + 2], 1.5 * cells.edgeMm, k, ids, d2)
        boundary[cells.items[s]] = m < MIN_NEIGHBOURS || patch.oneSided(cells.items[s], ids, m) ? 1 : 0
      }
    }
    if (found > 3) residuals.add(patch.residualMm)
    if (graph) linkNodes(graph, c, nodeOf, near, found)
  }
  orient(nodes.cloud, nodeNormals, graph)
  const normals = new Float32Array(n * 3)
  for (let i = 0; i < n; i++) {
    const c = nodeOf[i]
    normals[i * 3] = nodeNormals[c * 3]!
    normals[i * 3 + 1] = nodeNormals[c * 3 + 1]!
    normals[i * 3 + 2] = nodeNormals[c * 3 + 2]!
  }
  return { normals, boundary, spacingMm: gaps.median(), noiseMm: residuals.median(), order: cells.items }
}

/** The figures of `estimateFeatures`, each point with a normal of its own, with the order of their cells. */
export function estimateOrderedFeatures(cloud: PointCloud, context: RunContext, neighbours: number): OrderedFeatures {
  const { items } = fittingCells(cloud.positions, POINTS_PER_NODE)
  return { ...estimateFeatures(cloud, context, { neighbours }), order: items }
}

/** Those neighbours that face as a point does, into `out`; how many. */
function sameSide(n: Float32Array, i: number, near: Int32Array, found: number, out: Int32Array): number {
  const x = n[i * 3],
    y = n[i * 3 + 1],
    z = n[i * 3 + 2]
  let count = 0
  for (let j = 0; j < found; j++) {
    const k = near[j] * 3
    if (n[k] * x + n[k + 1] * y + n[k + 2] * z > SAME_SIDE) out[count++] = near[j]
  }
  return count
}

/** Of each cell the point nearest to its centre, with what orienting needs. */
function nodeCloud(cloud: PointCloud, cells: CellIndex, own: Float32Array): { index: Int32Array; cloud: PointCloud } {
  const index = new Int32Array(cells.count)
  const e = cells.edgeMm
  for (let c = 0; c < cells.count; c++) {
    const x = (cells.x[c] + 0.5) * e,
      y = (cells.y[c] + 0.5) * e,
      z = (cells.z[c] + 0.5) * e
    let best = Infinity
    for (let s = cells.start[c]; s < cells.start[c + 1]; s++) {
      const dx = own[s * 3] - x,
        dy = own[s * 3 + 1] - y,
        dz = own[s * 3 + 2] - z
      const d = dx * dx + dy * dy + dz * dz
      if (d < best) {
        best = d
        index[c] = cells.items[s]!
      }
    }
  }
  return { index, cloud: pickPoints(cloud, index) }
}

/** Links a node to eight other nodes among the neighbours; links back are added by `reverseGraph`. */
function linkNodes(graph: Int32Array, c: number, nodeOf: Int32Array, ids: Int32Array, found: number): void {
  let m = 0
  next: for (let j = 0; j < found && m < GRAPH_K; j++) {
    const other = nodeOf[ids[j]]
    if (other === c) continue
    for (let l = 0; l < m; l++) if (graph[c * GRAPH_K + l] === other) continue next
    graph[c * GRAPH_K + m++] = other
  }
}
