import type { FusePoints } from '../fuse/points'
import { SUPPORT_SPACINGS } from '../fuse/support'
import { boundsOf, type Bounds } from '../shapes'
import { CellIndex } from '../spatial/cell-index'

/** A point has to face so much as the surface does (cosine) to speak for it. */
const LEAST_FACING = 0.2

interface TakePart {
  readonly positions: Float32Array
  readonly normals: Float32Array
  readonly weights: Float32Array
  readonly reachMm: number
  readonly box: Bounds
  cells: CellIndex | null
}

/**
 * The surface that the takes' own points stand for, asked place by place: how far off it lies along a direction. Each
 * take speaks as far as its own spacing says; points of one take are sorted into cells when they are first asked.
 */
export class RawSurface {
  private readonly parts: readonly TakePart[]
  /**
   * The widest reach of any take aside, mm: of all there are, so that it is the same whatever part of them is kept.
   */
  readonly reachMm: number

  /** @param box only what lies in it is kept; null: all */
  constructor(points: FusePoints, box: Bounds | null = null) {
    this.reachMm = points.takes.reduce((most, { spacingMm }) => Math.max(most, SUPPORT_SPACINGS * spacingMm), 0)
    this.parts = points.takes.flatMap(({ from, to, spacingMm }) => {
      const reachMm = SUPPORT_SPACINGS * spacingMm
      const all = {
        positions: points.positions.subarray(from * 3, to * 3),
        normals: points.normals.subarray(from * 3, to * 3),
        weights: points.weights.subarray(from, to),
      }
      const kept = box ? inBox(all, box, reachMm) : all
      if (kept.weights.length === 0 || !(reachMm > 0)) return []
      return [{ ...kept, reachMm, box: boundsOf(kept.positions), cells: null }]
    })
  }

  /**
   * Signed way along a unit direction from a place to the mean of the points there, mm, each take weighing as much as
   * its points do; NaN where no take has a point that faces alike.
   * @param alongMm how far along the direction is looked, both ways
   */
  offset(x: number, y: number, z: number, nx: number, ny: number, nz: number, alongMm: number): number {
    let sum = 0,
      weight = 0
    for (const part of this.parts) {
      const { reachMm, box } = part
      const reach = Math.max(reachMm, alongMm)
      if (x < box.min[0] - reach || x > box.max[0] + reach) continue
      if (y < box.min[1] - reach || y > box.max[1] + reach) continue
      if (z < box.min[2] - reach || z > box.max[2] + reach) continue
      const cells = (part.cells ??= new CellIndex(part.positions, 2 * reachMm))
      const { positions: p, normals: n, weights } = part
      const edge = cells.edgeMm
      // The box round a cylinder of that reach along the direction.
      const ax = reachMm + Math.abs(nx) * alongMm,
        ay = reachMm + Math.abs(ny) * alongMm,
        az = reachMm + Math.abs(nz) * alongMm
      const x1 = Math.floor((x + ax) / edge),
        y1 = Math.floor((y + ay) / edge),
        z1 = Math.floor((z + az) / edge)
      for (let cz = Math.floor((z - az) / edge); cz <= z1; cz++)
        for (let cy = Math.floor((y - ay) / edge); cy <= y1; cy++)
          for (let cx = Math.floor((x - ax) / edge); cx <= x1; cx++) {
            const cell = cells.find(cx, cy, cz)
            if (cell < 0) continue
            for (let i = cells.start[cell]; i < cells.start[cell + 1]; i++) {
              const k = cells.items[i]
              const dx = p[k * 3] - x,
                dy = p[k * 3 + 1] - y,
                dz = p[k * 3 + 2] - z
              const h = dx * nx + dy * ny + dz * nz
              if (Math.abs(h) > alongMm) continue
              const aside2 = dx * dx + dy * dy + dz * dz - h * h
              if (aside2 >= reachMm * reachMm) continue
              if (n[k * 3] * nx + n[k * 3 + 1] * ny + n[k * 3 + 2] * nz < LEAST_FACING) continue
              const near = 1 - aside2 / (reachMm * reachMm)
              const w = near * near * weights[k]
              sum += w * h
              weight += w
            }
          }
    }
    return weight > 0 ? sum / weight : NaN
  }
}

function inBox(
  { positions: p, normals: n, weights }: Pick<TakePart, 'positions' | 'normals' | 'weights'>,
  { min, max }: Bounds,
  marginMm: number,
): Pick<TakePart, 'positions' | 'normals' | 'weights'> {
  const kept: number[] = []
  for (let i = 0; i < weights.length; i++) {
    const x = p[i * 3],
      y = p[i * 3 + 1],
      z = p[i * 3 + 2]
    if (x < min[0] - marginMm || y < min[1] - marginMm || z < min[2] - marginMm) continue
    if (x > max[0] + marginMm || y > max[1] + marginMm || z > max[2] + marginMm) continue
    kept.push(i)
  }
  const positions = new Float32Array(kept.length * 3),
    normals = new Float32Array(kept.length * 3)
  kept.forEach((i, k) => {
    positions.set(p.subarray(i * 3, i * 3 + 3), k * 3)
    normals.set(n.subarray(i * 3, i * 3 + 3), k * 3)
  })
  return { positions, normals, weights: Float32Array.from(kept, (i) => weights[i]) }
}
