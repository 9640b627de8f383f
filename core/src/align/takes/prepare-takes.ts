import { quietContext, stage, type RunContext } from '../../context'
import { estimateFeaturesSparsely, estimateOrderedFeatures, type OrderedFeatures } from '../../cloud/sparse-features'
import { eachItem, itemCounter } from '../../parallel/items'
import { defineKernel } from '../../parallel/kernel'
import { inShared, allocate } from '../../parallel/allocate'
import { isShared, runShared } from '../../parallel/share'
import type { PointCloud } from '../../shapes'
import { KdTree, roomForTree, type TreeRoom } from '../../spatial/kd-tree'
import { orientedCloud, type OrientedCloud } from '../oriented-cloud'

const NOTE = 'Reading the surface'

/**
 * All takes of a join made ready, several at a time where there are threads.
 * @param neighbours each point gets a normal of its own from so many; left out, points of a small cell share one
 */
export async function prepareTakes(
  clouds: readonly PointCloud[],
  context: RunContext,
  neighbours = 0,
): Promise<OrientedCloud[]> {
  const n = clouds.length
  if (
    !isShared(
      context,
      clouds.reduce((s, c) => s + c.positions.length / 3, 0),
    )
  )
    return clouds.map((c, i) => orientedCloud(c, read(c, neighbours, stage(context, i / n, (i + 1) / n))))
  const takes = clouds.map((c): TakeRoom => {
    const points = c.positions.length / 3
    const { positions, normals, frame, frameOrigins } = c
    return {
      cloud: inShared({ kind: 'cloud', positions, normals, ...(frame && frameOrigins && { frame, frameOrigins }) }),
      normals: allocate(Float32Array, points * 3, true),
      boundary: allocate(Uint8Array, points, true),
      order: allocate(Int32Array, points, true),
      scales: allocate(Float64Array, 2, true),
      tree: roomForTree(points, true),
    }
  })
  await runShared(prepareKernel, { counter: itemCounter(true), takes, neighbours }, n, context, NOTE)
  return clouds.map((c, t) => {
    const { cloud, normals, boundary, order, scales, tree } = takes[t]
    return orientedCloud(
      { ...c, positions: cloud.positions },
      { normals, boundary, order, spacingMm: scales[0], noiseMm: scales[1] },
      KdTree.over(tree),
    )
  })
}

/** A take, and where what is found of it is written. */
interface TakeRoom {
  readonly cloud: PointCloud
  readonly normals: Float32Array
  readonly boundary: Uint8Array
  readonly order: Int32Array
  /** Spacing and scatter, mm. */
  readonly scales: Float64Array
  readonly tree: TreeRoom
}

const read = (cloud: PointCloud, neighbours: number, context: RunContext): OrderedFeatures =>
  neighbours > 0 ? estimateOrderedFeatures(cloud, context, neighbours) : estimateFeaturesSparsely(cloud, context)

/** Features and tree of one take after the other. */
const prepareKernel = defineKernel(
  'prepareTakes',
  (input: { counter: Int32Array; takes: readonly TakeRoom[]; neighbours: number }, _part, tick) => {
    eachItem(input.counter, input.takes.length, tick, (t, pulse) => {
      const { cloud, normals, boundary, order, scales, tree } = input.takes[t]
      const found = read(cloud, input.neighbours, { ...quietContext(), progress: pulse })
      normals.set(found.normals)
      boundary.set(found.boundary)
      order.set(found.order)
      scales.set([found.spacingMm, found.noiseMm])
      new KdTree(cloud.positions, tree)
    })
  },
)
