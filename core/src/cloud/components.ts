import { checkpoint, type RunContext } from '../context'
import { GeometryError } from '../errors'
import { KdTree } from '../spatial/kd-tree'
import { UnionFind } from '../spatial/union-find'
import type { PointCloud } from '../shapes'

export interface CloudComponents {
  /** Component of each point, 0…k−1 in order of first appearance. */
  readonly label: Int32Array
  readonly sizes: readonly number[]
}

/**
 * Connected parts of a cloud: two points belong together when a chain of steps no longer than `distanceMm` joins them.
 * Points are binned into cells of distance/√3, so all points of one cell are joined without a look; cells are then
 * joined through the closest pair test over the 5×5×5 cells around.
 */
export function connectedComponents(cloud: PointCloud, distanceMm: number, context: RunContext): CloudComponents {
  if (!(distanceMm > 0)) throw new GeometryError('PARAMS', `The gap that separates strays must be larger than 0 mm, not ${distanceMm}.`)
  const { positions } = cloud
  const n = positions.length / 3
  const cell = distanceMm / Math.sqrt(3)
  const cells = new Map<string, number[]>()
  const inverse = 1 / cell
  const cellOf = (i: number): [number, number, number] => [
    Math.floor(positions[i * 3]! * inverse), Math.floor(positions[i * 3 + 1]! * inverse), Math.floor(positions[i * 3 + 2]! * inverse),
  ]
  const sets = new UnionFind(n)
  for (let i = 0; i < n; i++) {
    if ((i & 8191) === 0) checkpoint(context, i, 2 * n, 'Sorting points into parts')
    const key = cellOf(i).join()
    const list = cells.get(key)
    if (list) {
      sets.union(list[0]!, i)
      list.push(i)
    } else cells.set(key, [i])
  }
  const limit = distanceMm * distanceMm
  let visited = 0
  for (const list of cells.values()) {
    if ((visited++ & 1023) === 0) checkpoint(context, n + (visited / cells.size) * n, 2 * n, 'Joining parts')
    const [cx, cy, cz] = cellOf(list[0]!)
    for (let dz = 0; dz <= 2; dz++) {
      for (let dy = dz === 0 ? 0 : -2; dy <= 2; dy++) {
        for (let dx = dz === 0 && dy === 0 ? 1 : -2; dx <= 2; dx++) {
          const other = cells.get(`${cx + dx},${cy + dy},${cz + dz}`)
          if (!other || sets.find(list[0]!) === sets.find(other[0]!)) continue
          if (closerThan(positions, list, other, limit)) sets.union(list[0]!, other[0]!)
        }
      }
    }
  }
  const { label, sizes } = sets.labels()
  return { label, sizes }
}

function closerThan(p: Float32Array, a: number[], b: number[], limit: number): boolean {
  for (const i of a) {
    for (const j of b) {
      const x = p[i * 3]! - p[j * 3]!, y = p[i * 3 + 1]! - p[j * 3 + 1]!, z = p[i * 3 + 2]! - p[j * 3 + 2]!
      if (x * x + y * y + z * z <= limit) return true
    }
  }
  return false
}

/**
 * Statistical outliers: points whose mean distance to their k neighbours is over mean + sigma·deviation of that figure
 * over the cloud (Rusu et al. 2008, "Towards 3D point cloud based object maps", section on sparse outlier removal).
 * Returns 1 for points to keep. k is counted without the point itself.
 */
export function statisticalInliers(cloud: PointCloud, neighbours: number, sigma: number, context: RunContext): Uint8Array {
  const { positions } = cloud
  const n = positions.length / 3
  const tree = new KdTree(positions)
  const k = neighbours + 1
  const ids = new Int32Array(k)
  const d2 = new Float64Array(k)
  const mean = new Float64Array(n)
  for (let o = 0; o < n; o++) {
    if ((o & 1023) === 0) checkpoint(context, o, n, 'Looking for strays')
    const i = tree.ids[o]!
    const found = tree.knn(positions[i * 3]!, positions[i * 3 + 1]!, positions[i * 3 + 2]!, k, ids, d2)
    let sum = 0
    for (let j = 0; j < found; j++) sum += Math.sqrt(d2[j]!)
    mean[i] = found > 1 ? sum / (found - 1) : Infinity
  }
  let average = 0
  for (const m of mean) average += m / n
  let variance = 0
  for (const m of mean) variance += ((m - average) * (m - average)) / Math.max(1, n - 1)
  const limit = average + sigma * Math.sqrt(variance)
  return Uint8Array.from(mean, (m) => (m <= limit ? 1 : 0))
}
