import { checkpoint, type RunContext } from '../context'
import { median } from '../linear/samples'
import { defineKernel } from '../parallel/kernel'
import { inShared, allocate } from '../parallel/allocate'
import { isShared, runKernel } from '../parallel/share'
import { forEachNeighbourhood } from '../spatial/neighbourhoods'
import { WHOLE } from '../parallel/part'
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
export function estimateFeatures(
  cloud: PointCloud,
  context: RunContext,
  options: FeatureOptions = {},
): SurfaceFeatures {
  const work = prepare(cloud, options, false)
  featureKernel.loop(work, WHOLE, (done) => checkpoint(context, done, pointsOf(work), NOTE))
  return finish(cloud, work)
}

/** As `estimateFeatures`, on several threads where the host has them; the same bytes. */
export async function estimateFeaturesShared(
  cloud: PointCloud,
  context: RunContext,
  options: FeatureOptions = {},
): Promise<SurfaceFeatures> {
  const work = prepare(cloud, options, isShared(context, cloud.positions.length / 3))
  await runKernel(featureKernel, work, pointsOf(work), context, NOTE)
  return finish(cloud, work)
}

const NOTE = 'Reading the surface'
const SAMPLES = 20_000

interface FeatureWork {
  readonly positions: Float32Array
  readonly normals: Float32Array
  readonly boundary: Uint8Array
  readonly graph: Int32Array
  readonly gaps: Float64Array
  readonly residuals: Float64Array
  readonly k: number
  readonly sampleStep: number
}

const pointsOf = (work: FeatureWork): number => work.positions.length / 3

function prepare(cloud: PointCloud, options: FeatureOptions, shared: boolean): FeatureWork {
  const n = cloud.positions.length / 3
  const sampleStep = Math.max(1, Math.floor(n / SAMPLES))
  const samples = Math.ceil(n / sampleStep)
  return {
    positions: shared ? inShared(cloud.positions) : cloud.positions,
    normals: allocate(Float32Array, n * 3, shared),
    boundary: allocate(Uint8Array, n, shared),
    graph: allocate(Int32Array, needsPropagation(cloud) ? n * GRAPH_K : 0, shared).fill(-1),
    gaps: allocate(Float64Array, samples, shared).fill(NaN),
    residuals: allocate(Float64Array, samples, shared).fill(NaN),
    k: (options.neighbours ?? FEATURE_DEFAULTS.neighbours) + 1,
    sampleStep,
  }
}

/** Normals (sign open), rims, links to neighbours where `graph` has room, and samples of spacing and scatter. */
const featureKernel = defineKernel('features', (work: FeatureWork, part, tick) => {
  const { positions, normals, boundary, graph, gaps, residuals, k, sampleStep } = work
  const linked = graph.length > 0
  const patch = new Patch(positions)
  forEachNeighbourhood(
    positions,
    k,
    linked,
    (i, ids, d2, found, place) => {
      patch.read(i, ids, found)
      normals[i * 3] = patch.nx
      normals[i * 3 + 1] = patch.ny
      normals[i * 3 + 2] = patch.nz
      boundary[i] = patch.oneSided(i, ids, found) ? 1 : 0
      if (linked) for (let j = 1; j < found && j <= GRAPH_K; j++) graph[i * GRAPH_K + j - 1] = ids[j]!
      if (place % sampleStep === 0 && found > 3) {
        gaps[place / sampleStep] = Math.sqrt(secondSmallest(d2, found))
        residuals[place / sampleStep] = patch.residualMm
      }
    },
    tick,
    part,
  )
})

function finish(cloud: PointCloud, work: FeatureWork): SurfaceFeatures {
  // A copy out of shared memory: results belong to nobody else.
  const own = <T extends Float32Array | Uint8Array>(a: T): T => (a.buffer instanceof ArrayBuffer ? a : (a.slice() as T))
  const normals = own(work.normals)
  orient(cloud, normals, work.graph.length > 0 ? work.graph : undefined)
  const middle = (values: Float64Array): number => median(values.filter((v) => !Number.isNaN(v)))
  return { normals, boundary: own(work.boundary), spacingMm: middle(work.gaps), noiseMm: middle(work.residuals) }
}

/** The nearest neighbour's squared distance: the smallest is the point itself. */
function secondSmallest(d2: Float64Array, n: number): number {
  let least = Infinity,
    second = Infinity
  for (let j = 0; j < n; j++) {
    const d = d2[j]
    if (d < least) {
      second = least
      least = d
    } else if (d < second) second = d
  }
  return second
}
