import { GeometryError } from '../errors'

/** Nodes along one edge of a brick. */
export const BRICK = 8
export const BRICK_NODES = BRICK * BRICK * BRICK

/** Table entries of bricks that hold no nodes: all their nodes lie outside or all inside. */
export const ALL_OUTSIDE = -1
export const ALL_INSIDE = -2

/**
 * A sparse grid of nodes in bricks of 8³. Node (i, j, k) lies at origin + spacing·(i, j, k). Absent bricks carry only a
 * sign, so a surface drawn from the grid can never have a border.
 */
export class BrickGrid {
  readonly table: Int32Array
  /** Brick coordinates of each slot. */
  readonly slotBrick: number[] = []

  /** @param bricks bricks along x, y, z @throws MEMORY when the table alone would exceed 2²⁸ entries */
  constructor(
    readonly originMm: readonly [number, number, number],
    readonly spacingMm: number,
    readonly bricks: readonly [number, number, number],
  ) {
    const size = bricks[0] * bricks[1] * bricks[2]
    if (!(size < 2 ** 28)) {
      throw new GeometryError(
        'MEMORY',
        `A grid of ${bricks.map((b) => b * BRICK).join(' × ')} nodes is more than this machine can hold.`,
      )
    }
    this.table = new Int32Array(size).fill(ALL_OUTSIDE)
  }

  get slotCount(): number {
    return this.slotBrick.length
  }

  brickIndex(bx: number, by: number, bz: number): number {
    return (bz * this.bricks[1] + by) * this.bricks[0] + bx
  }

  /** Slot of a brick, made when absent. */
  ensure(brick: number): number {
    const slot = this.table[brick]
    if (slot >= 0) return slot
    this.table[brick] = this.slotBrick.length
    this.slotBrick.push(brick)
    return this.slotBrick.length - 1
  }

  brickCoordinates(brick: number): [number, number, number] {
    const [nx, ny] = this.bricks
    return [brick % nx, Math.floor(brick / nx) % ny, Math.floor(brick / (nx * ny))]
  }

  /** Slot or sign at brick coordinates; outside the grid is outside the piece. */
  at(bx: number, by: number, bz: number): number {
    const [nx, ny, nz] = this.bricks
    if (bx < 0 || by < 0 || bz < 0 || bx >= nx || by >= ny || bz >= nz) return ALL_OUTSIDE
    return this.table[this.brickIndex(bx, by, bz)]
  }
}

/**
 * Copies the nodes of brick (bx, by, bz) and its neighbours from `low` nodes before to `high` nodes after into `out`
 * (edge length 8 + low + high, x fastest). Absent bricks give `sign × farValue`.
 */
export function gatherHalo(
  grid: BrickGrid,
  values: Float32Array,
  bx: number,
  by: number,
  bz: number,
  low: number,
  high: number,
  farValue: number,
  out: Float32Array,
): void {
  const edge = BRICK + low + high
  for (let dz = low > 0 ? -1 : 0; dz <= (high > 0 ? 1 : 0); dz++) {
    const z0 = dz < 0 ? BRICK - low : 0
    const z1 = dz > 0 ? high : BRICK
    for (let dy = low > 0 ? -1 : 0; dy <= (high > 0 ? 1 : 0); dy++) {
      const y0 = dy < 0 ? BRICK - low : 0
      const y1 = dy > 0 ? high : BRICK
      for (let dx = low > 0 ? -1 : 0; dx <= (high > 0 ? 1 : 0); dx++) {
        const x0 = dx < 0 ? BRICK - low : 0
        const x1 = dx > 0 ? high : BRICK
        const slot = grid.at(bx + dx, by + dy, bz + dz)
        const base = slot * BRICK_NODES
        const far = slot === ALL_INSIDE ? -farValue : farValue
        for (let z = z0; z < z1; z++) {
          for (let y = y0; y < y1; y++) {
            let to = ((dz * BRICK + z + low) * edge + dy * BRICK + y + low) * edge + dx * BRICK + x0 + low
            if (slot < 0) for (let x = x0; x < x1; x++) out[to++] = far
            else {
              let from = base + (z * BRICK + y) * BRICK + x0
              for (let x = x0; x < x1; x++) out[to++] = values[from++]!
            }
          }
        }
      }
    }
  }
}
