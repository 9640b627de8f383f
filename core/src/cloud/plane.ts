import { checkpoint, type RunContext } from '../context'
import { GeometryError } from '../errors'
import { smallestEigen3 } from '../linear/symmetric3'
import { Samples } from '../linear/samples'
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

/**
 * Number of random triples for one all-inlier triple with the given confidence. Fischler and Bolles 1981, eq. for k,
 * CACM 24(6).
 */
export function ransacTrials(inlierShare: number, sampleSize: number, confidence: number): number {
  const w = inlierShare ** sampleSize
  if (w >= 1) return 1
  if (w <= 0) return Infinity
  return Math.ceil(Math.log(1 - confidence) / Math.log(1 - w))
}

/**
 * The dominant plane: RANSAC (Fischler and Bolles 1981) on a seeded sample, then least squares on the inliers of the
 * full cloud, robustly (`refinePlane`). The normal is turned to the side with
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
    const a = sample[random.integer(sampleCount)] * 3
    const b = sample[random.integer(sampleCount)] * 3
    const c = sample[random.integer(sampleCount)] * 3
    const plane = planeThrough(positions, a, b, c)
    if (!plane) continue
    const [nx, ny, nz, d] = plane
    let votes = 0
    for (let s = 0; s < sampleCount; s++) {
      const i = sample[s] * 3
      const r = nx * positions[i] + ny * positions[i + 1] + nz * positions[i + 2] - d
      if (r > band || r < -band) continue
      if (normals && Math.abs(nx * normals[i] + ny * normals[i + 1] + nz * normals[i + 2]) < minDot) continue
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
  return towardsPiece(
    positions,
    refinePlane(
      cloud,
      { normal: [best[0], best[1], best[2]], offsetMm: best[3], rmsMm: band, inliers: bestVotes },
      band,
      minDot,
    ),
    band,
  )
}

function planeThrough(p: Float32Array, a: number, b: number, c: number): [number, number, number, number] | null {
  const ux = p[b] - p[a],
    uy = p[b + 1] - p[a + 1],
    uz = p[b + 2] - p[a + 2]
  const vx = p[c] - p[a],
    vy = p[c + 1] - p[a + 1],
    vz = p[c + 2] - p[a + 2]
  const x = uy * vz - uz * vy,
    y = uz * vx - ux * vz,
    z = ux * vy - uy * vx
  const l = Math.hypot(x, y, z)
  if (!(l > 1e-9 * (ux * ux + uy * uy + uz * uz + vx * vx + vy * vy + vz * vz))) return null
  return [x / l, y / l, z / l, (x * p[a] + y * p[a + 1] + z * p[a + 2]) / l]
}

/** Scatter of a normal distribution from the median of its absolute values. */
const MAD_SIGMA = 1.4826
/**
 * Tukey's constant: 95 % as exact as least squares where all is noise (Holland and Welsch 1977, Communications in
 * Statistics A6(9)).
 */
const BIWEIGHT = 4.685
const ROUNDS = 12

/**
 * A plane fitted anew to the points about it: weighted least squares with Tukey's biweight, so that what stands on the
 * plane, foot and fillet, does not lift it.
 */
export function refinePlane(cloud: PointCloud, plane: Plane, bandMm: number, minDot = 0): Plane {
  let now = plane
  let sigma = bandMm / BIWEIGHT
  for (let round = 0; round < ROUNDS; round++) {
    const next = weightedPlane(cloud, now, bandMm, sigma, minDot)
    if (!next) return now
    const moved =
      Math.abs(next.plane.offsetMm - now.offsetMm) +
      1 -
      Math.abs(
        next.plane.normal[0] * now.normal[0] +
          next.plane.normal[1] * now.normal[1] +
          next.plane.normal[2] * now.normal[2],
      )
    now = next.plane
    sigma = Math.min(bandMm / BIWEIGHT, Math.max(next.sigma, bandMm * 1e-4))
    if (moved < 1e-7 && round > 2) break
  }
  return now
}

function weightedPlane(
  { positions: p, normals }: PointCloud,
  plane: Plane,
  band: number,
  sigma: number,
  minDot: number,
): { plane: Plane; sigma: number } | null {
  const [nx, ny, nz] = plane.normal
  // Sums about a point of the plane keep their digits far from the origin.
  const ox = nx * plane.offsetMm,
    oy = ny * plane.offsetMm,
    oz = nz * plane.offsetMm
  const reach = Math.min(band, BIWEIGHT * sigma)
  const samples = new Samples(4001)
  const skip = Math.max(1, Math.floor(plane.inliers / 4000))
  let w = 0,
    m = 0,
    sx = 0,
    sy = 0,
    sz = 0,
    xx = 0,
    xy = 0,
    xz = 0,
    yy = 0,
    yz = 0,
    zz = 0,
    rr = 0
  for (let i = 0; i < p.length; i += 3) {
    const x = p[i] - ox,
      y = p[i + 1] - oy,
      z = p[i + 2] - oz
    const r = nx * x + ny * y + nz * z
    if (r > reach || r < -reach) continue
    if (normals && Math.abs(nx * normals[i] + ny * normals[i + 1] + nz * normals[i + 2]) < minDot) continue
    if (m++ % skip === 0 && m / skip < 4000) samples.add(Math.abs(r))
    const u = r / reach,
      k = (1 - u * u) ** 2
    w += k
    rr += k * r * r
    sx += k * x
    sy += k * y
    sz += k * z
    xx += k * x * x
    xy += k * x * y
    xz += k * x * z
    yy += k * y * y
    yz += k * y * z
    zz += k * z * z
  }
  if (m < 3 || !(w > 0)) return null
  const e = new Float64Array(6)
  smallestEigen3(
    xx - (sx * sx) / w,
    xy - (sx * sy) / w,
    xz - (sx * sz) / w,
    yy - (sy * sy) / w,
    yz - (sy * sz) / w,
    zz - (sz * sz) / w,
    e,
  )
  let [ax, ay, az] = [e[3], e[4], e[5]]
  if (ax * nx + ay * ny + az * nz < 0) {
    ax = -ax
    ay = -ay
    az = -az
  }
  const offsetMm = ax * (ox + sx / w) + ay * (oy + sy / w) + az * (oz + sz / w)
  return {
    plane: { normal: [ax, ay, az], offsetMm, rmsMm: Math.sqrt(rr / w), inliers: m },
    sigma: MAD_SIGMA * samples.median(),
  }
}

function towardsPiece(p: Float32Array, plane: Plane, band: number): Plane {
  const [x, y, z] = plane.normal
  let above = 0
  let below = 0
  for (let i = 0; i < p.length; i += 3) {
    const r = x * p[i] + y * p[i + 1] + z * p[i + 2] - plane.offsetMm
    if (r > band) above++
    else if (r < -band) below++
  }
  if (above >= below) return plane
  return { ...plane, normal: [-x, -y, -z], offsetMm: -plane.offsetMm }
}

/** 1 where the point lies above the plane by at least `offsetMm`, else 0. */
export function maskAbovePlane(
  cloud: PointCloud,
  plane: Pick<Plane, 'normal' | 'offsetMm'>,
  offsetMm: number,
): Uint8Array {
  const { positions } = cloud
  const mask = new Uint8Array(positions.length / 3)
  const [x, y, z] = plane.normal
  const limit = plane.offsetMm + offsetMm
  for (let i = 0, p = 0; i < mask.length; i++, p += 3) {
    mask[i] = x * positions[p] + y * positions[p + 1] + z * positions[p + 2] > limit ? 1 : 0
  }
  return mask
}
