import { quietContext, stage, type KernelArray, type RunContext } from '../../context'
import { estimateFeaturesSparsely, estimateOrderedFeatures, type OrderedFeatures } from '../../cloud/sparse-features'
import { eachItem, itemCounter } from '../../parallel/items'
import { defineKernel } from '../../parallel/kernel'
import { inShared, allocate } from '../../parallel/allocate'
import { isShared } from '../../parallel/share'
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
  const arrays: Record<string, KernelArray> = { counter: itemCounter(true) }
  clouds.forEach((c, t) => {
    const points = c.positions.length / 3
    arrays[`${t}.positions`] = inShared(c.positions)
    if (c.normals) arrays[`${t}.own`] = inShared(c.normals)
    if (c.frame && c.frameOrigins) {
      arrays[`${t}.frame`] = c.frame
      arrays[`${t}.origins`] = c.frameOrigins
    }
    arrays[`${t}.normals`] = allocate(Float32Array, points * 3, true)
    arrays[`${t}.boundary`] = allocate(Uint8Array, points, true)
    arrays[`${t}.order`] = allocate(Int32Array, points, true)
    arrays[`${t}.scales`] = allocate(Float64Array, 2, true)
    for (const [name, values] of Object.entries(roomForTree(points, true)))
      arrays[`${t}.tree.${name}`] = values as KernelArray
  })
  await context.parallel!.run(prepareKernel.name, arrays, { items: n, neighbours }, context, NOTE)
  return clouds.map((c, t) =>
    orientedCloud(
      { ...c, positions: arrays[`${t}.positions`] as Float32Array },
      {
        normals: arrays[`${t}.normals`] as Float32Array,
        boundary: arrays[`${t}.boundary`] as Uint8Array,
        order: arrays[`${t}.order`] as Int32Array,
        spacingMm: arrays[`${t}.scales`][0],
        noiseMm: arrays[`${t}.scales`][1],
      },
      KdTree.over(treeRoomOf(arrays, `${t}.tree`)),
    ),
  )
}

const read = (cloud: PointCloud, neighbours: number, context: RunContext): OrderedFeatures =>
  neighbours > 0 ? estimateOrderedFeatures(cloud, context, neighbours) : estimateFeaturesSparsely(cloud, context)

export const treeRoomOf = (arrays: Readonly<Record<string, KernelArray>>, name: string): TreeRoom => ({
  xyz: arrays[`${name}.xyz`] as Float32Array,
  ids: arrays[`${name}.ids`] as Int32Array,
  axis: arrays[`${name}.axis`] as Uint8Array,
})

/** Features and tree of one take after the other. */
export const prepareKernel = defineKernel('prepareTakes', (arrays, { items, neighbours }, _part, tick) => {
  eachItem(arrays.counter as Int32Array, items, tick, (t, pulse) => {
    const of = <T extends KernelArray | undefined>(name: string): T => arrays[`${t}.${name}`] as T
    const own = of<Float32Array | undefined>('own'),
      frame = of<Uint16Array | undefined>('frame')
    const cloud: PointCloud = {
      kind: 'cloud',
      positions: of<Float32Array>('positions'),
      ...(own && { normals: own }),
      ...(frame && { frame, frameOrigins: of<Float64Array>('origins') }),
    }
    const found = read(cloud, neighbours, { ...quietContext(), progress: pulse })
    of<Float32Array>('normals').set(found.normals)
    of<Uint8Array>('boundary').set(found.boundary)
    of<Int32Array>('order').set(found.order)
    of<Float64Array>('scales').set([found.spacingMm, found.noiseMm])
    new KdTree(cloud.positions, treeRoomOf(arrays, `${t}.tree`))
  })
})
