import type { Ground } from '../remesh/relax'
import { ALL_INSIDE, BRICK, BRICK_NODES, type BrickGrid } from './brick-grid'

const STEPS = 4
/** After the last step the surface has to be this near, in spacings. */
const NEAR_ENOUGH = 0.02
/** A place may be moved so many spacings a step; the field knows no more. */
const MOST_MOVE = 0.75

/** The zero surface of a grid's values as ground for points: Newton's steps along the gradient between its nodes. */
export function fieldGround(grid: BrickGrid, values: Float32Array): Ground {
  const h = grid.spacingMm
  const [ox, oy, oz] = grid.originMm
  const corner = new Float64Array(8)
  const node = (x: number, y: number, z: number): number => {
    const slot = grid.at(x >> 3, y >> 3, z >> 3)
    if (slot < 0) return slot === ALL_INSIDE ? -2 * h : 2 * h
    return values[slot * BRICK_NODES + ((z & 7) * BRICK + (y & 7)) * BRICK + (x & 7)]
  }
  const gather = (x: number, y: number, z: number): void => {
    if ((x & 7) < 7 && (y & 7) < 7 && (z & 7) < 7) {
      const slot = grid.at(x >> 3, y >> 3, z >> 3)
      if (slot >= 0) {
        const at = slot * BRICK_NODES + ((z & 7) * BRICK + (y & 7)) * BRICK + (x & 7)
        corner[0] = values[at]
        corner[1] = values[at + 1]
        corner[2] = values[at + BRICK]
        corner[3] = values[at + BRICK + 1]
        corner[4] = values[at + BRICK * BRICK]
        corner[5] = values[at + BRICK * BRICK + 1]
        corner[6] = values[at + BRICK * BRICK + BRICK]
        corner[7] = values[at + BRICK * BRICK + BRICK + 1]
        return
      }
    }
    for (let c = 0; c < 8; c++) corner[c] = node(x + (c & 1), y + ((c >> 1) & 1), z + (c >> 2))
  }
  return {
    lay(at, normal) {
      const sx = at[0],
        sy = at[1],
        sz = at[2]
      for (let step = 0; ; step++) {
        const gx = (at[0] - ox) / h,
          gy = (at[1] - oy) / h,
          gz = (at[2] - oz) / h
        const ix = Math.floor(gx),
          iy = Math.floor(gy),
          iz = Math.floor(gz)
        gather(ix, iy, iz)
        const fx = gx - ix,
          fy = gy - iy,
          fz = gz - iz
        const c00 = corner[0] + fx * (corner[1] - corner[0]),
          c10 = corner[2] + fx * (corner[3] - corner[2]),
          c01 = corner[4] + fx * (corner[5] - corner[4]),
          c11 = corner[6] + fx * (corner[7] - corner[6])
        const low = c00 + fy * (c10 - c00),
          high = c01 + fy * (c11 - c01)
        const value = low + fz * (high - low)
        const dx =
          (1 - fz) * ((1 - fy) * (corner[1] - corner[0]) + fy * (corner[3] - corner[2])) +
          fz * ((1 - fy) * (corner[5] - corner[4]) + fy * (corner[7] - corner[6]))
        const dy = (1 - fz) * (c10 - c00) + fz * (c11 - c01)
        const dz = high - low
        const slope2 = dx * dx + dy * dy + dz * dz
        const slope = Math.sqrt(slope2)
        const lost = !(slope > 1e-3 * h) || (step === STEPS && Math.abs(value) > NEAR_ENOUGH * h * slope)
        if (lost) {
          at[0] = sx
          at[1] = sy
          at[2] = sz
          return false
        }
        normal[0] = dx / slope
        normal[1] = dy / slope
        normal[2] = dz / slope
        if (step === STEPS) return true
        // In grid units the step is value / slope²; Newton's, held short.
        let move = (-value / slope2) * h
        const most = (MOST_MOVE * h) / slope
        if (move > most) move = most
        else if (move < -most) move = -most
        if (Math.abs(move) * slope < 1e-5 * h) return true
        at[0] += move * dx
        at[1] += move * dy
        at[2] += move * dz
      }
    },
  }
}
