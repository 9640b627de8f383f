import { checkpoint, type RunContext } from '../context'
import { Samples } from '../linear/samples'
import { forEachNeighbourhood } from '../spatial/neighbourhoods'
import type { PointCloud } from '../shapes'
import { GRAPH_K, needsPropagation, orient } from './orient'
import { Patch } from './patch'

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

/** The nearest neighbour's squared distance: the smallest is the point itself. */
function secondSmallest(d2: Float64Array, n: number): number {
  let least = Infinity, second = Infinity
  for (let j = 0; j < n; j++) {
    const d = d2[j]!
    if (d < least) { second = least; least = d } else if (d < second) second = d
  }
  return second
}
