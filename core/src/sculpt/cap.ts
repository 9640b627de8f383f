import { GeometryError } from '../errors'
import type { MovingMesh } from './moving-mesh'
import type { RawSurface } from './raw-surface'

/** How far the surface may go. */
export interface SculptLimits {
  /** Where nothing was measured, from where it was; elsewhere from the takes' points, mm. */
  readonly capMm: number
  /** What the takes say; null where there are none. */
  readonly raw: RawSurface | null
}

/** Holds vertices to how far they may go. */
export class Cap {
  /** How far off the takes' points lay, NaN where there are none; told when a vertex is first asked. */
  private readonly offMm: Float32Array
  private readonly asked: Uint8Array

  /** @throws PARAMS for a cap that lets nothing move */
  constructor(
    private readonly live: MovingMesh,
    readonly limits: SculptLimits,
  ) {
    if (!(limits.capMm > 0)) throw new GeometryError('PARAMS', 'A cap of 0 mm lets nothing move.')
    const n = live.positions.length / 3
    this.offMm = new Float32Array(n).fill(NaN)
    this.asked = new Uint8Array(n)
  }

  /** Holds a place to the cap. @param at of its x in `to` @returns whether it had to be held */
  hold(v: number, to: Float64Array, at: number): boolean {
    const { capMm } = this.limits
    if (capMm === Infinity) return false
    const k = v * 3
    const was = this.offBefore(v)
    if (Number.isNaN(was)) {
      const x = to[at] - this.live.before[k],
        y = to[at + 1] - this.live.before[k + 1],
        z = to[at + 2] - this.live.before[k + 2]
      const l = Math.sqrt(x * x + y * y + z * z)
      if (l <= capMm) return false
      for (let c = 0; c < 3; c++)
        to[at + c] = this.live.before[k + c] + ((to[at + c] - this.live.before[k + c]) * capMm) / l
      return true
    }
    // What lay farther off already may stay so, and may come nearer.
    const most = Math.max(capMm, Math.abs(was))
    const off = this.offsetAt(v, to[at], to[at + 1], to[at + 2])
    if (Number.isNaN(off)) {
      for (let c = 0; c < 3; c++) to[at + c] = this.live.positions[k + c]!
      return true
    }
    if (Math.abs(off) <= most) return false
    const back = off - Math.sign(off) * most
    for (let c = 0; c < 3; c++) to[at + c] += back * this.live.facing[k + c]
    return true
  }

  offBefore(v: number): number {
    if (this.asked[v] === 0) {
      this.asked[v] = 1
      const k = v * 3
      const reach = this.limits.raw?.reachMm ?? 0
      this.offMm[v] = this.rawOffset(v, this.live.before[k], this.live.before[k + 1], this.live.before[k + 2], reach)
    }
    return this.offMm[v]
  }

  /**
   * How far the takes' points lie from a place of a vertex, along the way the vertex faced before; NaN where it had
   * none. Looked for where they lay before, wherever the place has gone meanwhile.
   */
  offsetAt(v: number, x: number, y: number, z: number): number {
    const was = this.offBefore(v)
    if (Number.isNaN(was)) return NaN
    const { before, facing } = this.live
    const k = v * 3
    const nx = facing[k],
      ny = facing[k + 1],
      nz = facing[k + 2]
    const way = was + nx * (before[k] - x) + ny * (before[k + 1] - y) + nz * (before[k + 2] - z)
    const reach = this.limits.raw?.reachMm ?? 0
    return way + this.rawOffset(v, x + way * nx, y + way * ny, z + way * nz, reach)
  }

  /** How far the takes' points lie from where a vertex is now, looked for so far along the way it faced before. */
  offsetWithin(v: number, alongMm: number): number {
    const { positions: p } = this.live
    return this.rawOffset(v, p[v * 3], p[v * 3 + 1], p[v * 3 + 2], Math.max(alongMm, this.limits.raw?.reachMm ?? 0))
  }

  private rawOffset(v: number, x: number, y: number, z: number, alongMm: number): number {
    const { raw } = this.limits
    const f = this.live.facing
    return raw ? raw.offset(x, y, z, f[v * 3], f[v * 3 + 1], f[v * 3 + 2], alongMm) : NaN
  }
}
