import { checkpoint, type RunContext } from '../context'
import { GeometryError } from '../errors'
import { CellIndex } from '../spatial/cell-index'
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
 * joined through the closest pair test over the 5×5×5 cells around. O(n) for clouds of even spacing.
 */
export function connectedComponents(cloud: PointCloud, distanceMm: number, context: RunContext): CloudComponents {
  if (!(distanceMm > 0))
    throw new GeometryError('PARAMS', `The gap that separates strays must be larger than 0 mm, not ${distanceMm}.`)
  const { positions } = cloud
  const n = positions.length / 3
  const cells = new CellIndex(positions, distanceMm / Math.sqrt(3))
  const sets = new UnionFind(n)
  for (let c = 0; c < cells.count; c++) {
    for (let k = cells.start[c] + 1; k < cells.start[c + 1]; k++)
      sets.union(cells.items[cells.start[c]], cells.items[k])
  }
  const limit = distanceMm * distanceMm
  for (let c = 0; c < cells.count; c++) {
    if ((c & 1023) === 0) checkpoint(context, c, cells.count, 'Joining parts')
    const first = cells.items[cells.start[c]]
    const cx = cells.x[c],
      cy = cells.y[c],
      cz = cells.z[c]
    for (let dz = 0; dz <= 2; dz++) {
      for (let dy = dz === 0 ? 0 : -2; dy <= 2; dy++) {
        for (let dx = dz === 0 && dy === 0 ? 1 : -2; dx <= 2; dx++) {
          const other = cells.find(cx + dx, cy + dy, cz + dz)
          if (other < 0 || sets.find(first) === sets.find(cells.items[cells.start[other]])) continue
          if (closerThan(positions, cells, c, other, limit)) sets.union(first, cells.items[cells.start[other]])
        }
      }
    }
  }
  const { label, sizes } = sets.labels()
  return { label, sizes }
}

function closerThan(p: Float32Array, cells: CellIndex, a: number, b: number, limit: number): boolean {
  for (let k = cells.start[a]; k < cells.start[a + 1]; k++) {
    const i = cells.items[k] * 3
    for (let l = cells.start[b]; l < cells.start[b + 1]; l++) {
      const j = cells.items[l] * 3
      const x = p[i] - p[j],
        y = p[i + 1] - p[j + 1],
        z = p[i + 2] - p[j + 2]
      if (x * x + y * y + z * z <= limit) return true
    }
  }
  return false
}
