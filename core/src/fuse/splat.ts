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
  const into = emptyField(grid)
  splat(grid, points, radiusMm, { values: null, into }, context)
  return into
}

/**
 * Takes off the field what it lies off its own points. A mean of tangent planes lies outside a ball of radius R by
 * r²/12R, much more than the noise that is left. What it is off at the points, smoothed by the same kernel, is that much
 * of it that is no noise.
 * Source: twicing, Tukey 1977, "Exploratory data analysis", from memory.
 */
export function unbias(
  grid: BrickGrid,
  points: FusePoints,
  radiusMm: number,
  of: SplatField,
  context: RunContext,
): void {
  const values = offField(grid, points, of)
  const into = { field: of.field, weight: new Float32Array(of.weight.length) }
  splat(grid, points, radiusMm, { values, into }, context)
}

/** Minus the field's value at each point, between its nodes. */
function offField(grid: BrickGrid, { positions }: FusePoints, { field, weight }: SplatField): Float32Array {
  const off = new Float32Array(positions.length / 3)
  const h = grid.spacingMm
  const [ox, oy, oz] = grid.originMm
  for (let i = 0; i < off.length; i++) {
    const gx = (positions[i * 3] - ox) / h,
      gy = (positions[i * 3 + 1] - oy) / h,
      gz = (positions[i * 3 + 2] - oz) / h
    const x = Math.floor(gx),
      y = Math.floor(gy),
      z = Math.floor(gz)
    const fx = gx - x,
      fy = gy - y,
      fz = gz - z
    for (let c = 0; c < 8; c++) {
      const u = x + (c & 1),
        v = y + ((c >> 1) & 1),
        w = z + (c >> 2)
      const at = grid.at(u >> 3, v >> 3, w >> 3) * BRICK_NODES + ((w & 7) * BRICK + (v & 7)) * BRICK + (u & 7)
      const share = (c & 1 ? fx : 1 - fx) * (c & 2 ? fy : 1 - fy) * (c & 4 ? fz : 1 - fz)
      off[i] -= (share * field[at]) / weight[at]
    }
  }
  return off
}

const emptyField = (grid: BrickGrid): SplatField => ({
  field: new Float32Array(grid.slotCount * BRICK_NODES),
  weight: new Float32Array(grid.slotCount * BRICK_NODES),
})

interface Splat {
  /** In place of the points' planes, one value each. */
  readonly values: Float32Array | null
  readonly into: SplatField
}

/** Adds the points' planes, or one value a point, with the kernel's weight. */
function splat(
  grid: BrickGrid,
  points: FusePoints,
  radiusMm: number,
  { values, into: { field, weight } }: Splat,
  context: RunContext,
): void {
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
                const at = row + (x & 7)
                k *= k
                k *= k * own
                field[at] += k * (values ? values[w] : nx * dx + plane)
                weight[at] += k
              }
            }
          }
        }
      }
    }
  }
}
