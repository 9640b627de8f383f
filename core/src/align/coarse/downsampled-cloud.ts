import { rotateVectors, transformPoints, type Motion } from '../../linear/rigid'
import type { SurfaceSamples } from '../slippage'
import { CellIndex } from '../../spatial/cell-index'

/**
 * A take at the grain of coarse matching: one oriented point per cell, and which of them lies nearest to any place
 * about it. Plain arrays, so that threads can share it.
 */
export interface DownsampledCloud {
  /** n×3, mm. */
  readonly points: Float32Array
  /** n×3, unit. */
  readonly normals: Float32Array
  /** n: 1 where the surface is seen to end, so that its shape there says little. */
  readonly rim: Uint8Array
  readonly voxelMm: number
  /** Per grid node the nearest point, −1 where none is within `REACH_VOXELS`. */
  readonly grid: Int32Array
  /** Lowest corner of the grid, mm (3), and nodes along each axis (3). */
  readonly frame: Float64Array
}

/** How far from the surface the grid still knows the nearest point, in voxels. */
export const REACH_VOXELS = 4

/**
 * Averages positions and normals over cells of `voxelMm`. Cells whose points face opposite ways (thin walls) keep the
 * side of the first point.
 * @param positions n×3 mm @param normals n×3 unit, oriented
 */
export function downsampledCloud(
  positions: Float32Array,
  normals: Float32Array,
  boundary: Uint8Array,
  voxelMm: number,
): DownsampledCloud {
  const cells = new CellIndex(positions, voxelMm)
  const points = new Float32Array(cells.count * 3),
    mean = new Float32Array(cells.count * 3),
    rim = new Uint8Array(cells.count)
  for (let c = 0; c < cells.count; c++) {
    let x = 0,
      y = 0,
      z = 0,
      a = 0,
      b = 0,
      d = 0,
      count = 0,
      edge = 0
    for (let s = cells.start[c]; s < cells.start[c + 1]; s++) {
      const i = cells.items[s] * 3
      if (a * normals[i] + b * normals[i + 1] + d * normals[i + 2] < 0) continue
      x += positions[i]
      y += positions[i + 1]
      z += positions[i + 2]
      a += normals[i]
      b += normals[i + 1]
      d += normals[i + 2]
      edge += boundary[cells.items[s]]
      count++
    }
    const l = Math.sqrt(a * a + b * b + d * d) || 1
    points[c * 3] = x / count
    points[c * 3 + 1] = y / count
    points[c * 3 + 2] = z / count
    mean[c * 3] = a / l
    mean[c * 3 + 1] = b / l
    mean[c * 3 + 2] = d / l
    rim[c] = edge > 0 ? 1 : 0
  }
  return { points, normals: mean, rim, voxelMm, ...nearestGrid(points, voxelMm) }
}

/** Grid of nearest points: each point offers itself to the nodes about it. */
export function nearestGrid(points: Float32Array, voxelMm: number): { grid: Int32Array; frame: Float64Array } {
  const low = [Infinity, Infinity, Infinity],
    high = [-Infinity, -Infinity, -Infinity]
  for (let i = 0; i < points.length; i++) {
    low[i % 3] = Math.min(low[i % 3], points[i])
    high[i % 3] = Math.max(high[i % 3], points[i])
  }
  const margin = (REACH_VOXELS + 1) * voxelMm
  const size = [0, 1, 2].map((k) => Math.ceil((high[k] - low[k] + 2 * margin) / voxelMm) + 1)
  const frame = Float64Array.of(low[0] - margin, low[1] - margin, low[2] - margin, size[0], size[1], size[2])
  const cells = size[0] * size[1] * size[2]
  const grid = new Int32Array(cells).fill(-1),
    best = new Float32Array(cells).fill(REACH_VOXELS ** 2)
  for (let i = 0; i < points.length; i += 3) {
    const x = (points[i] - frame[0]) / voxelMm,
      y = (points[i + 1] - frame[1]) / voxelMm,
      z = (points[i + 2] - frame[2]) / voxelMm
    const x0 = Math.round(x),
      y0 = Math.round(y),
      z0 = Math.round(z)
    for (let gz = z0 - REACH_VOXELS; gz <= z0 + REACH_VOXELS; gz++)
      for (let gy = y0 - REACH_VOXELS; gy <= y0 + REACH_VOXELS; gy++) {
        const across = (gz - z) ** 2 + (gy - y) ** 2
        if (across >= REACH_VOXELS ** 2) continue
        const row = (gz * size[1] + gy) * size[0]
        for (let gx = x0 - REACH_VOXELS; gx <= x0 + REACH_VOXELS; gx++) {
          const d2 = across + (gx - x) ** 2
          if (d2 < best[row + gx]) {
            best[row + gx] = d2
            grid[row + gx] = i / 3
          }
        }
      }
  }
  return { grid, frame }
}

/** Point of the outline nearest to a place (to within a voxel's rounding), −1 when none is near. */
export function nearestOf(
  o: Pick<DownsampledCloud, 'voxelMm' | 'grid' | 'frame'>,
  x: number,
  y: number,
  z: number,
): number {
  const f = o.frame,
    inv = 1 / o.voxelMm
  const gx = Math.round((x - f[0]) * inv),
    gy = Math.round((y - f[1]) * inv),
    gz = Math.round((z - f[2]) * inv)
  if (gx < 0 || gy < 0 || gz < 0 || gx >= f[3] || gy >= f[4] || gz >= f[5]) return -1
  return o.grid[(gz * f[4] + gy) * f[3] + gx]
}

/** The outline as surface samples in the common frame, each for a voxel's face. */
export function downsampledSamples(o: DownsampledCloud, motion: Motion): SurfaceSamples {
  return {
    points: transformPoints(motion, o.points),
    normals: rotateVectors(motion, o.normals),
    areas: new Float64Array(o.points.length / 3).fill(o.voxelMm ** 2),
  }
}
