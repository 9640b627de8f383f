import { checkpoint, type RunContext } from '../context'
import { defineKernel } from '../parallel/kernel'
import { inShared, allocate } from '../parallel/allocate'
import { isShared, runKernel } from '../parallel/share'
import { forEachNeighbourhood } from '../spatial/neighbourhoods'
import { WHOLE } from '../parallel/part'
import type { PointCloud } from '../shapes'

/** Positions n×3, and where the mean distance of each point to its nearest others is written. */
interface MeanDistances {
  readonly positions: Float32Array
  readonly mean: Float64Array
  readonly neighbours: number
}

const meanDistanceKernel = defineKernel('meanDistances', (input: MeanDistances, part, tick) => {
  const { positions, mean, neighbours } = input
  forEachNeighbourhood(
    positions,
    neighbours + 1,
    false,
    (i, _ids, d2, found) => {
      let sum = 0
      for (let j = 0; j < found; j++) sum += Math.sqrt(d2[j])
      mean[i] = found > 1 ? sum / (found - 1) : Infinity
    },
    tick,
    part,
  )
})

/**
 * Statistical outliers: points whose mean distance to their k neighbours is over mean + sigma·deviation of that figure
 * over the cloud (Rusu et al. 2008, "Towards 3D point cloud based object maps", section on sparse outlier removal).
 * Returns 1 for points to keep. k is counted without the point itself.
 */
export function statisticalInliers(
  { positions }: PointCloud,
  neighbours: number,
  sigma: number,
  context: RunContext,
): Uint8Array {
  const mean = new Float64Array(positions.length / 3)
  meanDistanceKernel.loop({ positions, mean, neighbours }, WHOLE, (done) =>
    checkpoint(context, done, mean.length, NOTE),
  )
  return judge(mean, sigma)
}

const NOTE = 'Looking for strays'

/** As `statisticalInliers`, on several threads where the host has them; the same bytes. */
export async function statisticalInliersShared(
  { positions }: PointCloud,
  neighbours: number,
  sigma: number,
  context: RunContext,
): Promise<Uint8Array> {
  const n = positions.length / 3
  const shared = isShared(context, n)
  const mean = allocate(Float64Array, n, shared)
  await runKernel(
    meanDistanceKernel,
    { positions: shared ? inShared(positions) : positions, mean, neighbours },
    n,
    context,
    NOTE,
  )
  return judge(mean, sigma)
}

function judge(mean: Float64Array, sigma: number): Uint8Array {
  const n = mean.length
  let average = 0
  for (const m of mean) average += m / n
  let variance = 0
  for (const m of mean) variance += ((m - average) * (m - average)) / Math.max(1, n - 1)
  const limit = average + sigma * Math.sqrt(variance)
  const keep = new Uint8Array(n)
  for (let i = 0; i < n; i++) keep[i] = mean[i] <= limit ? 1 : 0
  return keep
}
