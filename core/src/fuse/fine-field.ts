import { checkpoint, type RunContext } from '../context'
import { ALL_INSIDE, BRICK, BRICK_NODES, gatherHalo, type BrickGrid } from './brick-grid'
import type { Coarse } from './coarse-field'
import { sampleField } from './membrane'
import type { SplatField } from './splat'

const FINE_SWEEPS = 14

/** Values at all nodes of all bricks: measured where known, elsewhere the membrane, relaxed at full spacing. */
export function fineField(
  grid: BrickGrid,
  splatSlots: number,
  { field, weight }: SplatField,
  threshold: number,
  coarse: Coarse,
  context: RunContext,
): Float32Array {
  const { factor } = coarse
  let values = new Float32Array(grid.slotCount * BRICK_NODES)
  const fill = (slot: number): void => {
    const [bx, by, bz] = grid.brickCoordinates(grid.slotBrick[slot])
    let at = slot * BRICK_NODES
    for (let z = 0; z < BRICK; z++)
      for (let y = 0; y < BRICK; y++)
        for (let x = 0; x < BRICK; x++, at++) {
          values[at] =
            slot < splatSlots && weight[at] >= threshold
              ? field[at] / weight[at]
              : sampleField(coarse, (bx * BRICK + x) / factor, (by * BRICK + y) / factor, (bz * BRICK + z) / factor)
        }
  }
  for (let slot = 0; slot < grid.slotCount; slot++) fill(slot)
  // A brick whose face disagrees in sign with an absent neighbour would end in a wall: the neighbour becomes real.
  for (let from = 0; from < grid.slotCount;) {
    const until = grid.slotCount
    for (let slot = from; slot < until; slot++) wakeNeighbours(grid, values, slot)
    if (grid.slotCount > until) {
      const bigger = new Float32Array(grid.slotCount * BRICK_NODES)
      bigger.set(values)
      values = bigger
      for (let slot = until; slot < grid.slotCount; slot++) fill(slot)
    }
    from = until
  }
  relaxBricks(grid, values, splatSlots, weight, threshold, context)
  return values
}

function wakeNeighbours(grid: BrickGrid, values: Float32Array, slot: number): void {
  const [bx, by, bz] = grid.brickCoordinates(grid.slotBrick[slot])
  const base = slot * BRICK_NODES
  for (let dz = -1; dz <= 1; dz++)
    for (let dy = -1; dy <= 1; dy++)
      for (let dx = -1; dx <= 1; dx++) {
        const x = bx + dx,
          y = by + dy,
          z = bz + dz
        const sign = grid.at(x, y, z)
        if (sign >= 0 || x < 0 || y < 0 || z < 0 || x >= grid.bricks[0] || y >= grid.bricks[1] || z >= grid.bricks[2])
          continue
        const inside = sign === ALL_INSIDE
        const range = (d: number): [number, number] =>
          d < 0 ? [0, 0] : d > 0 ? [BRICK - 1, BRICK - 1] : [0, BRICK - 1]
        const [z0, z1] = range(dz),
          [y0, y1] = range(dy),
          [x0, x1] = range(dx)
        search: for (let k = z0; k <= z1; k++)
          for (let j = y0; j <= y1; j++)
            for (let i = x0; i <= x1; i++) {
              if (values[base + (k * BRICK + j) * BRICK + i] < 0 !== inside) {
                grid.ensure(grid.brickIndex(x, y, z))
                break search
              }
            }
      }
}

function relaxBricks(
  grid: BrickGrid,
  values: Float32Array,
  splatSlots: number,
  weight: Float32Array,
  threshold: number,
  context: RunContext,
): void {
  const open: number[] = []
  for (let slot = 0; slot < grid.slotCount; slot++) {
    let unknown = slot >= splatSlots
    for (let i = slot * BRICK_NODES, e = i + BRICK_NODES; !unknown && i < e; i++)
      if (weight[i] < threshold) unknown = true
    if (unknown) open.push(slot)
  }
  const edge = BRICK + 2
  const halo = new Float32Array(edge * edge * edge)
  for (let sweep = 0; sweep < FINE_SWEEPS; sweep++) {
    checkpoint(context, sweep, FINE_SWEEPS, 'Smoothing what was closed')
    for (const slot of open) {
      const [bx, by, bz] = grid.brickCoordinates(grid.slotBrick[slot])
      gatherHalo(grid, values, bx, by, bz, 1, 1, 2 * grid.spacingMm, halo)
      let at = slot * BRICK_NODES
      for (let z = 1; z <= BRICK; z++)
        for (let y = 1; y <= BRICK; y++) {
          let p = (z * edge + y) * edge + 1
          for (let x = 0; x < BRICK; x++, p++, at++) {
            if (slot < splatSlots && weight[at] >= threshold) continue
            const mean =
              (halo[p - 1] +
                halo[p + 1] +
                halo[p - edge] +
                halo[p + edge] +
                halo[p - edge * edge] +
                halo[p + edge * edge]) /
              6
            halo[p] = mean
            values[at] = mean
          }
        }
    }
  }
}
