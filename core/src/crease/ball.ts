import type { CellIndex } from '../spatial/cell-index'

/** Most points that are looked at round a place; more say no more. */
export const MOST_POINTS = 160

/** Oriented points, mm. */
export interface OrientedPoints {
  readonly positions: Float32Array
  readonly normals: Float32Array
}

/** The points round one place, told from there; one store serves all places. */
export class Ball {
  count = 0
  /** xyz from the middle, mm. */
  readonly at = new Float64Array(MOST_POINTS * 3)
  readonly facing = new Float64Array(MOST_POINTS * 3)
  /** Which sheet each point was given to, −1 for none. */
  readonly sheet = new Int32Array(MOST_POINTS)
  /** Middle of the ball, mm. */
  readonly middle = new Float64Array(3)
  private found = new Int32Array(4096)

  constructor(
    private readonly points: OrientedPoints,
    private readonly cells: CellIndex,
    readonly radiusMm: number,
  ) {}

  /**
   * Gathers what lies round a place and does not face away from `normal`; of too many, every so manyth.
   * @param leastFacing cosine
   */
  gather(x: number, y: number, z: number, normal: ArrayLike<number>, leastFacing: number): void {
    const { positions: p, normals: n } = this.points
    this.middle[0] = x
    this.middle[1] = y
    this.middle[2] = z
    const r2 = this.radiusMm ** 2
    let found = 0
    for (const cell of this.cells.around(x, y, z))
      for (let i = this.cells.start[cell]; i < this.cells.start[cell + 1]; i++) {
        const o = this.cells.items[i] * 3
        const dx = p[o] - x,
          dy = p[o + 1] - y,
          dz = p[o + 2] - z
        if (dx * dx + dy * dy + dz * dz > r2) continue
        if (n[o] * normal[0] + n[o + 1] * normal[1] + n[o + 2] * normal[2] < leastFacing) continue
        if (found === this.found.length) {
          const more = new Int32Array(found * 2)
          more.set(this.found)
          this.found = more
        }
        this.found[found++] = o
      }
    const every = Math.ceil(found / MOST_POINTS)
    this.count = 0
    for (let i = 0; i < found; i += every) {
      const o = this.found[i],
        to = this.count++ * 3
      for (let c = 0; c < 3; c++) {
        this.at[to + c] = p[o + c] - this.middle[c]
        this.facing[to + c] = n[o + c]
      }
    }
    this.sheet.fill(-1, 0, this.count)
  }
}
