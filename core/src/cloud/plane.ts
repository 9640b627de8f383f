import { checkpoint, type RunContext } from '../context'
import { GeometryError } from '../errors'
import { smallestEigen3 } from '../linear/symmetric3'
import type { PointCloud } from '../shapes'

export interface Plane {
  /** Unit normal. */
  readonly normal: readonly [number, number, number]
  /** normal · x = offsetMm on the plane. */
  readonly offsetMm: number
  /** Root mean square distance of the inliers, mm. */
  readonly rmsMm: number
  readonly inliers: number
}

export interface PlaneOptions {
  /** Half the thickness of the band that counts as on the plane, mm, > 0. */
  readonly bandMm: number
  /** Chance of success wanted from the trials. @defaultValue 0.9999 */
  readonly confidence?: number
  /** Points with a normal farther than this from the plane's do not vote, degrees. @defaultValue 25 */
  readonly maxAngleDeg?: number
}

export const PLANE_DEFAULTS = { confidence: 0.9999, maxAngleDeg: 25 } as const

/** Number of random triples for one all-inlier triple with the given confidence. Fischler and Bolles 1981, eq. for k, CACM 24(6). */
export function ransacTrials(inlierShare: number, sampleSize: number, confidence: number): number {
  const w = inlierShare ** sampleSize
  if (w >= 1) return 1
  if (w <= 0) return Infinity
  return Math.ceil(Math.log(1 - confidence) / Math.log(1 - w))
}

/**
 * The dominant plane: RANSAC (Fischler and Bolles 1981) on a seeded sample, then least squares on the inliers of the
 * full cloud, three rounds with the band tightened to three times the scatter. The normal is turned to the side with
 * most points off the plane: on a table, that is where the piece stands.
 * @throws DEGENERATE when fewer than 3 % of the points share any plane.
 */
export function findDominantPlane(cloud: PointCloud, context: RunContext, options: PlaneOptions): Plane {
  const { positions, normals } = cloud
  const n = positions.length / 3
  if (n < 3) throw new GeometryError('EMPTY', `A plane needs three points; there ${n === 1 ? 'is' : 'are'} ${n}.`)
  const band = options.bandMm
  if (!(band > 0)) throw new GeometryError('PARAMS', 'The band of the plane must be larger than 0 mm.')
  const confidence = options.confidence ?? PLANE_DEFAULTS.confidence
  const minDot = Math.cos(((options.maxAngleDeg ?? PLANE_DEFAULTS.maxAngleDeg) * Math.PI) / 180)
  const { random } = context
  const sampleCount = Math.min(n, 6000)
  const sample = new Int32Array(sampleCount)
  for (let i = 0; i < sampleCount; i++) sample[i] = n <= 6000 ? i : random.integer(n)

  let bestVotes = 0
  let best: [number, number, number, number] = [0, 0, 1, 0]
  let trials = 2000
  for (let t = 0; t < trials; t++) {
    if ((t & 63) === 0) checkpoint(context, t, trials, 'Looking for the table')
    const a = sample[random.integer(sampleCount)]! * 3
    const b = sample[random.integer(sampleCount)]! * 3
    const c = sample[random.integer(sampleCount)]! * 3
    const plane = planeThrough(positions, a, b, c)
    if (!plane) continue
    const [nx, ny, nz, d] = plane
    let votes = 0
    for (let s = 0; s < sampleCount; s++) {
      const i = sample[s]! * 3
      const r = nx * positions[i]! + ny * positions[i + 1]! + nz * positions[i + 2]! - d
      if (r > band || r < -band) continue
      if (normals && Math.abs(nx * normals[i]! + ny * normals[i + 1]! + nz * normals[i + 2]!) < minDot) continue
      votes++
    }
    if (votes > bestVotes) {
      bestVotes = votes
      best = plane
      trials = Math.min(2000, Math.max(50, ransacTrials(votes / sampleCount, 3, confidence)))
    }
  }
  if (bestVotes < Math.max(3, sampleCount * 0.03)) {
    throw new GeometryError('DEGENERATE', 'No table was found: fewer than 3 % of the points lie on any one plane.')
  }
  let plane: Plane = { normal: [best[0], best[1], best[2]], offsetMm: best[3], rmsMm: band, inliers: bestVotes }
  let width = band
  for (let round = 0; round < 4; round++) {
    const refined = leastSquaresPlane(positions, normals, plane, width, minDot)
    if (!refined) break
    plane = refined
    width = Math.min(band, Math.max(3 * plane.rmsMm, band * 1e-3))
  }
  return towardsPiece(positions, plane, band)
}

function planeThrough(p: Float32Array, a: number, b: number, c: number): [number, number, number, number] | null {
  const ux = p[b]! - p[a]!, uy = p[b + 1]! - p[a + 1]!, uz = p[b + 2]! - p[a + 2]!
  const vx = p[c]! - p[a]!, vy = p[c + 1]! - p[a + 1]!, vz = p[c + 2]! - p[a + 2]!
  const x = uy * vz - uz * vy, y = uz * vx - ux * vz, z = ux * vy - uy * vx
  const l = Math.hypot(x, y, z)
  if (!(l > 1e-9 * (ux * ux + uy * uy + uz * uz + vx * vx + vy * vy + vz * vz))) return null
  return [x / l, y / l, z / l, (x * p[a]! + y * p[a + 1]! + z * p[a + 2]!) / l]
}

function leastSquaresPlane(p: Float32Array, normals: Float32Array | undefined, plane: Plane, width: number, minDot: number): Plane | null {
  const [nx, ny, nz] = plane.normal
  // Sums about a point of the plane keep their digits far from the origin.
  const ox = nx * plane.offsetMm, oy = ny * plane.offsetMm, oz = nz * plane.offsetMm
  let m = 0, sx = 0, sy = 0, sz = 0, xx = 0, xy = 0, xz = 0, yy = 0, yz = 0, zz = 0
  for (let i = 0; i < p.length; i += 3) {
    const x = p[i]! - ox, y = p[i + 1]! - oy, z = p[i + 2]! - oz
    const r = nx * x + ny * y + nz * z
    if (r > width || r < -width) continue
    if (normals && Math.abs(nx * normals[i]! + ny * normals[i + 1]! + nz * normals[i + 2]!) < minDot) continue
    m++
    sx += x; sy += y; sz += z
    xx += x * x; xy += x * y; xz += x * z; yy += y * y; yz += y * z; zz += z * z
  }
  if (m < 3) return null
  const e = new Float64Array(6)
  smallestEigen3(xx - (sx * sx) / m, xy - (sx * sy) / m, xz - (sx * sz) / m, yy - (sy * sy) / m, yz - (sy * sz) / m, zz - (sz * sz) / m, e)
  let [ax, ay, az] = [e[3]!, e[4]!, e[5]!]
  if (ax * nx + ay * ny + az * nz < 0) { ax = -ax; ay = -ay; az = -az }
  const offsetMm = ax * (ox + sx / m) + ay * (oy + sy / m) + az * (oz + sz / m)
  return { normal: [ax, ay, az], offsetMm, rmsMm: Math.sqrt(Math.max(0, e[0]!) / m), inliers: m }
}

function towardsPiece(p: Float32Array, plane: Plane, band: number): Plane {
  const [x, y, z] = plane.normal
  let above = 0
  let below = 0
  for (let i = 0; i < p.length; i += 3) {
    const r = x * p[i]! + y * p[i + 1]! + z * p[i + 2]! - plane.offsetMm
    if (r > band) above++
    else if (r < -band) below++
  }
  if (above >= below) return plane
  return { ...plane, normal: [-x, -y, -z], offsetMm: -plane.offsetMm }
}

/** 1 where the point lies above the plane by at least `offsetMm`, else 0. */
export function maskAbovePlane(cloud: PointCloud, plane: Pick<Plane, 'normal' | 'offsetMm'>, offsetMm: number): Uint8Array {
  const { positions } = cloud
  const mask = new Uint8Array(positions.length / 3)
  const [x, y, z] = plane.normal
  const limit = plane.offsetMm + offsetMm
  for (let i = 0, p = 0; i < mask.length; i++, p += 3) {
    mask[i] = x * positions[p]! + y * positions[p + 1]! + z * positions[p + 2]! > limit ? 1 : 0
  }
  return mask
}

/** What tells a table from a flat side of the piece. */
export interface TableSigns {
  /** Share of the points off the plane that lie below it: nothing can be seen through a table. */
  readonly belowShare: number
  /** Extent of the plane's points in its own plane (an area) over that of the points above it: a table reaches beyond what stands on it. */
  readonly reach: number
  readonly isTable: boolean
}

const MOST_BELOW = 0.02
const LEAST_REACH = 1.1
/** Extents leave out this share of the points at either end, so that strays do not count. */
const FRINGE = 0.005

/** Judges a found plane. */
export function judgeTable(cloud: PointCloud, plane: Plane, bandMm: number): TableSigns {
  const { positions: p } = cloud
  const [nx, ny, nz] = plane.normal
  // Duff et al. 2017, "Building an orthonormal basis, revisited".
  const sign = nz >= 0 ? 1 : -1
  const a = -1 / (sign + nz)
  const b = nx * ny * a
  const u = [1 + sign * nx * nx * a, sign * b, -sign * nx], v = [b, sign + ny * ny * a, -ny]
  const on = new Extent(p.length / 3)
  const above = new Extent(p.length / 3)
  let below = 0
  for (let i = 0; i < p.length; i += 3) {
    const x = p[i]!, y = p[i + 1]!, z = p[i + 2]!
    const r = nx * x + ny * y + nz * z - plane.offsetMm
    if (r < -bandMm) below++
    else (r > bandMm ? above : on).add(u[0]! * x + u[1]! * y + u[2]! * z, v[0]! * x + v[1]! * y + v[2]! * z)
  }
  const belowShare = below / Math.max(1, above.count + below)
  const reach = on.area() / Math.max(above.area(), 1e-12)
  return { belowShare, reach, isTable: belowShare <= MOST_BELOW && reach >= LEAST_REACH }
}

/** Extent of points in a plane. */
class Extent {
  count = 0
  private readonly u: Float32Array
  private readonly v: Float32Array
  constructor(room: number) {
    this.u = new Float32Array(room)
    this.v = new Float32Array(room)
  }
  add(u: number, v: number): void {
    this.u[this.count] = u
    this.v[this.count++] = v
  }
  area(): number {
    if (this.count === 0) return 0
    const span = (values: Float32Array): number => {
      const sorted = values.subarray(0, this.count).sort()
      const cut = Math.floor(this.count * FRINGE)
      return sorted[this.count - 1 - cut]! - sorted[cut]!
    }
    return span(this.u) * span(this.v)
  }
}
