import { stage, type RunContext } from '../context'
import { ALL_INSIDE, ALL_OUTSIDE, BRICK, BRICK_NODES, type BrickGrid } from './brick-grid'
import { carveFreeSpace } from './carve'
import { solveMembrane, type DenseField } from './membrane'
import type { FusePoints } from './points'
import { coarseFactor } from './predict'
import type { SplatField } from './splat'

/**
 * Field at the border of the grid, in coarse spacings: a high wall would press the closing of a gap into the piece,
 * none would let it run away.
 */
const FAR_VALUE = 0.15

/** The whole box on a grid so coarse that all of it can be solved for. */
export interface Coarse extends DenseField {
  /** Coarse spacing = fine spacing × 2^level. */
  readonly factor: number
}

/**
 * What no take saw: free where a frame looked through, else the membrane through all that is known. Nodes with less
 * weight than `threshold` are unknown.
 */
export function coarseField(
  grid: BrickGrid,
  { field, weight }: SplatField,
  threshold: number,
  points: FusePoints,
  context: RunContext,
): Coarse {
  const nodes = grid.bricks.map((b) => b * BRICK)
  const factor = coarseFactor(nodes)
  const size = nodes.map((n) => Math.ceil(n / factor) + 1) as [number, number, number]
  const [nx, ny, nz] = size
  const values = new Float32Array(nx * ny * nz)
  const count = new Float32Array(nx * ny * nz)
  const known = new Uint8Array(nx * ny * nz)
  const half = factor >> 1
  grid.slotBrick.forEach((brick, slot) => {
    const [bx, by, bz] = grid.brickCoordinates(brick)
    let at = slot * BRICK_NODES
    for (let z = 0; z < BRICK; z++)
      for (let y = 0; y < BRICK; y++)
        for (let x = 0; x < BRICK; x++, at++) {
          const w = weight[at]
          if (w < threshold) continue
          const c =
            (Math.floor((bz * BRICK + z + half) / factor) * ny + Math.floor((by * BRICK + y + half) / factor)) * nx +
            Math.floor((bx * BRICK + x + half) / factor)
          values[c] += field[at] / w
          count[c]++
        }
  })
  const coarseSpacing = grid.spacingMm * factor
  const unknown: number[] = []
  for (let z = 0, at = 0; z < nz; z++)
    for (let y = 0; y < ny; y++)
      for (let x = 0; x < nx; x++, at++) {
        if (x === 0 || y === 0 || z === 0 || x === nx - 1 || y === ny - 1 || z === nz - 1) {
          values[at] = FAR_VALUE * coarseSpacing
          known[at] = 1
        } else if (count[at] > 0) {
          values[at] /= count[at]
          known[at] = 1
        } else unknown.push(at)
      }
  const [ox, oy, oz] = grid.originMm
  const place = (node: number, out: Float64Array): void => {
    out[0] = ox + coarseSpacing * (node % nx)
    out[1] = oy + coarseSpacing * (Math.floor(node / nx) % ny)
    out[2] = oz + coarseSpacing * Math.floor(node / (nx * ny))
  }
  carveFreeSpace(
    points.views,
    2 * coarseSpacing,
    Int32Array.from(unknown),
    place,
    (node) => {
      values[node] = coarseSpacing
      known[node] = 1
    },
    stage(context, 0, 0.7),
  )
  const dense = { size, values, known, factor }
  solveMembrane(dense, stage(context, 0.7, 1))
  return dense
}

/** Bricks the membrane passes through become real; the rest learn whether they are inside or outside. */
export function activateCrossings(grid: BrickGrid, coarse: Coarse): void {
  const { factor } = coarse
  const [nx, ny, nz] = coarse.size
  for (let brick = 0; brick < grid.table.length; brick++) {
    if (grid.table[brick] >= 0) continue
    const [bx, by, bz] = grid.brickCoordinates(brick)
    const low = [bx, by, bz].map((b) => Math.floor((b * BRICK - 1) / factor))
    const high = [bx, by, bz].map((b) => Math.ceil((b * BRICK + BRICK) / factor))
    let signs = 0
    for (let z = Math.max(0, low[2]); z <= Math.min(nz - 1, high[2]); z++) {
      for (let y = Math.max(0, low[1]); y <= Math.min(ny - 1, high[1]); y++) {
        for (let x = Math.max(0, low[0]); x <= Math.min(nx - 1, high[0]); x++)
          signs |= coarse.values[(z * ny + y) * nx + x] < 0 ? 1 : 2
      }
    }
    if (signs === 3) grid.ensure(brick)
    else grid.table[brick] = signs === 1 ? ALL_INSIDE : ALL_OUTSIDE
  }
}
