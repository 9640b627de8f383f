import { Samples } from '../linear/samples'
import { KdTree } from '../spatial/kd-tree'
import type { PointCloud } from '../shapes'

const SAMPLE = 2000

/**
 * Median spacing of a cloud, mm: the distance to the sixth neighbour over √2, which is robust where takes lie on each
 * other. Sampled.
 */
export function medianSpacing(cloud: Pick<PointCloud, 'positions'>): number {
  const { positions } = cloud
  const n = positions.length / 3
  const tree = new KdTree(positions)
  const ids = new Int32Array(7)
  const d2 = new Float64Array(7)
  const found = new Samples(SAMPLE * 2)
  for (let o = 0; o < n; o += Math.max(1, Math.floor(n / SAMPLE))) {
    const i = tree.ids[o] * 3
    const k = tree.knn(positions[i], positions[i + 1], positions[i + 2], 7, ids, d2)
    if (k > 1) found.add(Math.sqrt(d2[k - 1] / 2))
  }
  return found.median()
}
