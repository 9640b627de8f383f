import { checkpoint, type RunContext } from '../context'
import { BRICK, BRICK_NODES, type BrickGrid } from './brick-grid'
import type { FusePoints } from './points'

/** Weighted sums at the nodes near the points: implicit moving least squares is `field / weight`. */
export interface SplatField {
  readonly field: Float32Array
  readonly weight: Float32Array
}

/** Makes every brick the kernels will touch; returns how many there are now. */
export function markBricks(grid: BrickGrid, points: FusePoints, radiusMm: number, context: RunContext): number {
  const { positions } = points
  const inverse = 1 / (grid.spacingMm * BRICK)
  const [ox, oy, oz] = grid.originMm
  // A node belongs to the brick that holds its number, so the reach below starts one node lower.
  const reach = radiusMm
  for (let i = 0; i < positions.length; i += 3) {
    if ((i & 0xffff) === 0) checkpoint(context, i, positions.length, 'Laying the grid')
    const x0 = Math.floor((positions[i] - reach - ox) * inverse),
      x1 = Math.floor((positions[i] + reach - ox) * inverse)
    const y0 = Math.floor((positions[i + 1] - reach - oy) * inverse),
      y1 = Math.floor((positions[i + 1] + reach - oy) * inverse)
    const z0 = Math.floor((positions[i + 2] - reach - oz) * inverse),
      z1 = Math.floor((positions[i + 2] + reach - oz) * inverse)
    for (let z = z0; z <= z1; z++)
      for (let y = y0; y <= y1; y++) for (let x = x0; x <= x1; x++) grid.ensure(grid.brickIndex(x, y, z))
  }
  return grid.slotCount
}

/**
 * Splats each point's tangent plane with the kernel (1 − d²/r²)⁴ into the nodes within r.
 * Source: implicit moving least squares, Kolluri 2005, "Provably good moving least squares" (SODA); compact kernel as
 * in Guennebaud and Gross 2007, "Algebraic point set surfaces".
 */
export function splatPlanes(grid: BrickGrid, points: FusePoints, radiusMm: number, context: RunContext): SplatField {
  const nodes = grid.slotCount * BRICK_NODES
  const field = new Float32Array(nodes)
  const weight = new Float32Array(nodes)
  const { positions, normals, weights } = points
  const h = grid.spacingMm
  const [ox, oy, oz] = grid.originMm
  const r2 = radiusMm * radiusMm
  const inverseR2 = 1 / r2
  for (let i = 0, w = 0; i < positions.length; i += 3, w++) {
    if ((w & 8191) === 0) checkpoint(context, i, positions.length, 'Fusing the takes')
    const px = positions[i] - ox,
      py = positions[i + 1] - oy,
      pz = positions[i + 2] - oz
    const nx = normals[i],
      ny = normals[i + 1],
      nz = normals[i + 2]
    const own = weights[w]
    const x0 = Math.ceil((px - radiusMm) / h),
      x1 = Math.floor((px + radiusMm) / h)
    const y0 = Math.ceil((py - radiusMm) / h),
      y1 = Math.floor((py + radiusMm) / h)
    const z0 = Math.ceil((pz - radiusMm) / h),
      z1 = Math.floor((pz + radiusMm) / h)
    for (let bz = z0 >> 3; bz <= z1 >> 3; bz++) {
      const za = Math.max(z0, bz * BRICK),
        zb = Math.min(z1, bz * BRICK + BRICK - 1)
      for (let by = y0 >> 3; by <= y1 >> 3; by++) {
        const ya = Math.max(y0, by * BRICK),
          yb = Math.min(y1, by * BRICK + BRICK - 1)
        for (let bx = x0 >> 3; bx <= x1 >> 3; bx++) {
          const xa = Math.max(x0, bx * BRICK),
            xb = Math.min(x1, bx * BRICK + BRICK - 1)
          const base = grid.table[grid.brickIndex(bx, by, bz)] * BRICK_NODES
          for (let z = za; z <= zb; z++) {
            const dz = z * h - pz
            for (let y = ya; y <= yb; y++) {
              const dy = y * h - py
              const rest = r2 - dz * dz - dy * dy
              if (rest <= 0) continue
              const row = base + ((z & 7) * BRICK + (y & 7)) * BRICK
              const plane = ny * dy + nz * dz
              for (let x = xa; x <= xb; x++) {
                const dx = x * h - px
                let k = (rest - dx * dx) * inverseR2
                if (k <= 0) continue
                k *= k
                k *= k * own
                const at = row + (x & 7)
                field[at] += k * (nx * dx + plane)
                weight[at] += k
              }
            }
          }
        }
      }
    }
  }
  return { field, weight }
}
