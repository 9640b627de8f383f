import { checkpoint, type RunContext } from '../context'
import { invertRigid, rotateVectors, transformPoints } from '../linear/rigid'
import type { TriangleMesh } from '../shapes'
import { DepthMap } from '../view/depth-map'
import { spacingAtMm, type DeviceProfile } from './device-profile'
import type { Facets } from './facets'
import { GRIP_SHARE, place, PUTTY_RISE_MM, viewpointsOf, type Placed, type PlannedTake, type Viewpoints } from './takes'

/** What one take sees of each facet. */
export interface TakeCoverage {
  /** Views that see it. */
  readonly views: Uint16Array
  /** Views that see it at 60° or steeper and densely enough. */
  readonly wellViews: Uint16Array
  /** Cosine of the best angle of the worse of the two eyes; 0 where unseen. */
  readonly bestCosine: Float32Array
  /** Finest spacing along the surface of one frame, mm; Infinity where unseen. */
  readonly spacingMm: Float32Array
  readonly placed: Placed
  readonly viewCount: number
}

/** Seen well: at 60° from the normal or steeper (the contract's rule). */
export const WELL_COSINE = 0.5
/** Directions from which openness is looked at. */
export const OPEN_DIRECTIONS = 160

/** What never changes while takes are planned: the mesh, its facets, its buffers. */
export class CoverageScene {
  private readonly map: DepthMap
  private readonly second: DepthMap
  readonly centre: readonly [number, number, number]
  readonly radiusMm: number

  constructor(
    readonly mesh: TriangleMesh,
    readonly facets: Facets,
    pixels?: number,
  ) {
    this.map = new DepthMap(mesh, pixels)
    this.second = new DepthMap(mesh, pixels)
    const p = mesh.positions
    const min = [Infinity, Infinity, Infinity],
      max = [-Infinity, -Infinity, -Infinity]
    for (let i = 0; i < p.length; i++) {
      min[i % 3] = Math.min(min[i % 3], p[i])
      max[i % 3] = Math.max(max[i % 3], p[i])
    }
    const c = (this.centre = [(min[0] + max[0]) / 2, (min[1] + max[1]) / 2, (min[2] + max[2]) / 2] as const)
    let far = 0
    for (let i = 0; i < p.length; i += 3)
      far = Math.max(far, (p[i] - c[0]) ** 2 + (p[i + 1] - c[1]) ** 2 + (p[i + 2] - c[2]) ** 2)
    this.radiusMm = Math.sqrt(far)
  }

  /**
   * Runs a planned take: a facet counts where camera and projector both see it, inside window and depth band, no
   * flatter than the device can, over the floor limit and clear of what holds the piece.
   * @param perView what each view sees, as a list of facets that is used again for the next
   */
  cover(
    take: PlannedTake,
    device: DeviceProfile,
    wantedSpacingMm: number,
    context?: RunContext,
    perView?: (view: number, facets: Int32Array) => void,
  ): TakeCoverage {
    const { facets } = this
    const { centres: c, normals: n } = facets
    const placed = place(take, this.mesh.positions)
    const views = viewpointsOf(take, device, placed)
    const out: TakeCoverage = {
      views: new Uint16Array(facets.count),
      wellViews: new Uint16Array(facets.count),
      bestCosine: new Float32Array(facets.count),
      spacingMm: new Float32Array(facets.count).fill(Infinity),
      placed,
      viewCount: views.count,
    }
    const hidden = this.heldAway(take, placed)
    const list = perView ? new Int32Array(facets.count) : null
    for (let v = 0; v < views.count; v++) {
      if (context) checkpoint(context, v, views.count, `Looking at “${take.name}”`)
      let seen = 0
      if (this.beginView(views, v, placed, device)) {
        for (let i = 0, k = 0; i < facets.count; i++, k += 3) {
          if (hidden[i] || !this.see(c[k], c[k + 1], c[k + 2], n[k], n[k + 1], n[k + 2])) continue
          const worse = Math.min(this.cosine, this.lit)
          const spacing = spacingAtMm(device, this.depth) / Math.sqrt(this.cosine)
          out.views[i]++
          if (worse >= WELL_COSINE && spacing <= wantedSpacingMm) out.wellViews[i]++
          if (worse > out.bestCosine[i]) out.bestCosine[i] = worse
          if (spacing < out.spacingMm[i]) out.spacingMm[i] = spacing
          if (list) list[seen++] = i
        }
      }
      if (list) perView!(v, list.subarray(0, seen))
    }
    return out
  }

  /**
   * How many of the given dots each view of a take sees; positions and normals n×3, in the coordinates of the piece or
   * of the table.
   */
  dotsInViews(
    take: PlannedTake,
    device: DeviceProfile,
    positions: Float32Array,
    normals: Float32Array,
    space: 'piece' | 'table',
  ): Uint16Array {
    const placed = place(take, this.mesh.positions)
    const views = viewpointsOf(take, device, placed)
    const back = invertRigid(placed.motion)
    const p = space === 'piece' ? positions : transformPoints(back, positions)
    const n = space === 'piece' ? normals : rotateVectors(back, normals)
    const counts = new Uint16Array(views.count)
    for (let v = 0; v < views.count; v++) {
      if (!this.beginView(views, v, placed, device)) continue
      for (let k = 0; k < p.length; k += 3)
        if (this.see(p[k], p[k + 1], p[k + 2], n[k], n[k + 1], n[k + 2])) counts[v]++
    }
    return counts
  }

  // The view that is looked at: camera, projector, axes, limits; and what `see` found of the last point.
  private readonly row = new Float64Array(15)
  private half = 0
  private near = 0
  private far = 0
  private minCosine = 0
  private cosine = 0
  private lit = 0
  private depth = 0

  /** Turns to a view; false when the table hides everything from it. */
  private beginView({ rows, table }: Viewpoints, v: number, placed: Placed, device: DeviceProfile): boolean {
    const row = this.row
    for (let k = 0; k < 15; k++) row[k] = rows[v * 15 + k]!
    const m = placed.motion
    const height = (k: number): number => m[8] * row[k] + m[9] * row[k + 1] + m[10] * row[k + 2] + m[11]
    // From under the table's top nothing of what stands on it is seen.
    if (table && (height(0) <= 0 || height(3) <= 0)) return false
    this.half = device.windowMm / 2 / device.standOffMm
    this.near = device.nearMm
    this.far = device.farMm
    this.minCosine = Math.cos((device.maxIncidenceDeg * Math.PI) / 180)
    const forward = [row[6], row[7], row[8]] as const
    this.aim(this.map, [row[0], row[1], row[2]], forward, device)
    this.aim(this.second, [row[3], row[4], row[5]], forward, device)
    return true
  }

  /** Whether both eyes of the present view see the point; leaves `cosine`, `lit` and `depth`. */
  private see(x: number, y: number, z: number, nx: number, ny: number, nz: number): boolean {
    const r = this.row
    const dx = x - r[0],
      dy = y - r[1],
      dz = z - r[2]
    const facing = -(nx * dx + ny * dy + nz * dz)
    if (facing <= 0) return false
    const depth = r[6] * dx + r[7] * dy + r[8] * dz
    if (depth < this.near || depth > this.far) return false
    const reach = depth * this.half
    if (Math.abs(r[9] * dx + r[10] * dy + r[11] * dz) > reach || Math.abs(r[12] * dx + r[13] * dy + r[14] * dz) > reach)
      return false
    const cosine = facing / Math.sqrt(dx * dx + dy * dy + dz * dz)
    if (cosine < this.minCosine) return false
    const qx = x - r[3],
      qy = y - r[4],
      qz = z - r[5]
    const lit = -(nx * qx + ny * qy + nz * qz) / Math.sqrt(qx * qx + qy * qy + qz * qz)
    if (lit < this.minCosine || !this.map.sees(x, y, z, cosine) || !this.second.sees(x, y, z, lit)) return false
    this.cosine = cosine
    this.lit = lit
    this.depth = depth
    return true
  }

  /** The whole piece in the picture when it is small in the window, the window when the piece is larger. */
  private aim(
    map: DepthMap,
    eye: readonly [number, number, number],
    forward: readonly [number, number, number],
    device: DeviceProfile,
  ): void {
    const [cx, cy, cz] = this.centre
    const distance = Math.hypot(cx - eye[0], cy - eye[1], cz - eye[2])
    const whole = distance > this.radiusMm * 1.02 ? Math.asin(this.radiusMm / distance) : Infinity
    // Room for the projector, which looks at the same window from beside it.
    const window = Math.atan((device.windowMm * 0.7072 + device.baselineMm) / device.nearMm)
    if (whole <= window) map.look(eye, this.centre, whole * 1.01)
    else map.look(eye, [eye[0] + forward[0], eye[1] + forward[1], eye[2] + forward[2]], window)
  }

  /** 1 for facets that what holds the piece hides, or that lie under the floor limit or outside the box. */
  private heldAway(take: PlannedTake, placed: Placed): Uint8Array {
    const { facets } = this
    const out = new Uint8Array(facets.count)
    const m = placed.motion
    const tall = placed.heightMm - placed.restMm
    const held =
      take.kind === 'grip' || take.kind === 'vise'
        ? placed.restMm + GRIP_SHARE * tall
        : take.support === 'putty'
          ? placed.restMm + PUTTY_RISE_MM
          : -Infinity
    const limit = Math.max(held, take.floorMm ?? -Infinity)
    const box = take.boxMm === null ? Infinity : take.boxMm / 2
    if (limit === -Infinity && box === Infinity) return out
    for (let i = 0; i < facets.count; i++) {
      const x = facets.centres[i * 3],
        y = facets.centres[i * 3 + 1],
        z = facets.centres[i * 3 + 2]
      const along = (r: number): number => m[r] * x + m[r + 1] * y + m[r + 2] * z + m[r + 3]
      if (along(8) < limit || Math.abs(along(0)) > box || Math.abs(along(4)) > box) out[i] = 1
    }
    return out
  }

  /**
   * By how many of many directions, spread over the sphere (Fibonacci lattice; González 2010), a straight line from
   * outside reaches each facet.
   */
  openness(directions = OPEN_DIRECTIONS): Uint8Array {
    const { facets, map, centre } = this
    const out = new Uint8Array(facets.count)
    const distance = this.radiusMm * 40
    for (let d = 0; d < directions; d++) {
      const z = 1 - (2 * d + 1) / directions
      const a = d * Math.PI * (3 - Math.sqrt(5))
      const s = Math.sqrt(1 - z * z)
      const x = s * Math.cos(a),
        y = s * Math.sin(a)
      map.look(
        [centre[0] + x * distance, centre[1] + y * distance, centre[2] + z * distance],
        centre,
        Math.asin(1 / 40) * 1.01,
      )
      for (let k = 0, i = 0; i < facets.count; i++, k += 3) {
        const cosine = x * facets.normals[k] + y * facets.normals[k + 1] + z * facets.normals[k + 2]
        if (cosine > 0.1 && map.sees(facets.centres[k], facets.centres[k + 1], facets.centres[k + 2], cosine)) out[i]++
      }
    }
    return out
  }
}
