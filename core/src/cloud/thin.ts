import type { PointCloud } from '../shapes'
import { GeometryError } from '../errors'

/**
 * Even thinning: of all points in one cube of edge `spacingMm` the one nearest to the cube's centre stays (a real
 * point, never an average, so frames and colours stay true), or with `byConfidence` the one that is surest. Returns the
 * kept indices in ascending order.
 */
export function thinEvenly(cloud: PointCloud, spacingMm: number, byConfidence = false): Int32Array {
  if (!(spacingMm > 0)) throw new GeometryError('PARAMS', `The spacing must be larger than 0 mm, not ${spacingMm}.`)
  const { positions } = cloud
  const sure = byConfidence ? cloud.confidence : undefined
  const n = positions.length / 3
  let size = 16
  while (size < n * 2) size *= 2
  const table = new Int32Array(size).fill(-1)
  const best = new Float32Array(size)
  const inverse = 1 / spacingMm
  const cellX = new Int32Array(size),
    cellY = new Int32Array(size),
    cellZ = new Int32Array(size)
  for (let i = 0; i < n; i++) {
    const fx = positions[i * 3] * inverse,
      fy = positions[i * 3 + 1] * inverse,
      fz = positions[i * 3 + 2] * inverse
    const x = Math.floor(fx),
      y = Math.floor(fy),
      z = Math.floor(fz)
    const dx = fx - x - 0.5,
      dy = fy - y - 0.5,
      dz = fz - z - 0.5
    const d = sure ? -sure[i] : dx * dx + dy * dy + dz * dz
    let slot = (Math.imul(x, 73856093) ^ Math.imul(y, 19349663) ^ Math.imul(z, 83492791)) & (size - 1)
    for (;;) {
      if (table[slot] < 0) {
        table[slot] = i
        best[slot] = d
        cellX[slot] = x
        cellY[slot] = y
        cellZ[slot] = z
        break
      }
      if (cellX[slot] === x && cellY[slot] === y && cellZ[slot] === z) {
        if (d < best[slot]) {
          table[slot] = i
          best[slot] = d
        }
        break
      }
      slot = (slot + 1) & (size - 1)
    }
  }
  return table.filter((i) => i >= 0).sort()
}

/** Shares of the count that a spacing may miss it by. */
const COUNT_TOLERANCE = 0.01

/** The spacing at which even thinning leaves about so many points: bisected, since fewer stay the wider it is. */
export function spacingForCount(cloud: PointCloud, count: number): number {
  let low = 0,
    high = 1e-6
  while (thinEvenly(cloud, high).length > count) {
    low = high
    high *= 4
  }
  for (let round = 0; round < 40; round++) {
    const middle = (low + high) / 2
    const n = thinEvenly(cloud, middle).length
    if (Math.abs(n - count) <= COUNT_TOLERANCE * count) return middle
    if (n > count) low = middle
    else high = middle
  }
  return high
}
