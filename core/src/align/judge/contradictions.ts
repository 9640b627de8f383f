import { compose, invertRigid, type Motion } from '../../linear/rigid'
import type { OrientedCloud } from '../oriented-cloud'

/**
 * Where a pose can't be, though what meets may fit well: one take has surface inside what the other shows as solid. The
 * side a place was seen from follows from its normal, and that nothing but solid lies behind a measured face from the
 * measured places round it, so that no word is needed of where a take was taken from.
 */
export interface Contradiction {
  /** Places of either take that lie behind closed surface of the other. */
  readonly places: number
  /** Places of either take looked at. */
  readonly looked: number
  readonly areaMm2: number
  /** Median depth, mm. */
  readonly depthMm: number
}

/** Ways out of a place: along the nearest face's normal, across it, and how many so; the widest first, 56° off. */
const WAYS: readonly (readonly [number, number, number])[] = [56, 38, 19, 0].map((deg, i) => [
  Math.cos((deg * Math.PI) / 180),
  Math.sin((deg * Math.PI) / 180),
  [8, 6, 4, 1][i],
])
/** Fewer ways say nothing; a look comes in by this cosine at least. */
const MIN_WAYS = 6,
  GRAZING = 0.15
/** A way is shut where surface lies this near to it, in spacings, within so many depths. */
const HIT_SPACINGS = 1.2,
  FAR_DEPTHS = 3
/** Places deeper than this share of the take's size are left: the other side of a thing is no contradiction. */
const DEEPEST = 0.15
/** The two face roughly one way, or stand across: the far side of a wall faces the other way. */
const MIN_COSINE = -0.2
/** Neighbours face one way when they turn by no more. */
const SAME_FACE = 0.7
/** Off the foot, along the face, in spacings and depths. */
const ASIDE_SPACINGS = 1.6,
  ASIDE = 0.3
/** Neighbours of its own take that a place must lie among: a stray says nothing. */
const COMPANY = 5,
  COMPANY_SPACINGS = 3

/**
 * @param a first → common @param b second → common @param places looked at, of each
 * @param leastMm what lies less deep is scatter
 */
export function contradictionsOf(
  first: OrientedCloud,
  second: OrientedCloud,
  a: Motion,
  b: Motion,
  places: readonly [Int32Array, Int32Array],
  leastMm: number,
  cellMm: number,
): Contradiction {
  const depths: number[] = []
  behind(first, second, compose(invertRigid(b), a), places[0], leastMm, depths)
  behind(second, first, compose(invertRigid(a), b), places[1], leastMm, depths)
  depths.sort((x, y) => x - y)
  return {
    places: depths.length,
    looked: places[0].length + places[1].length,
    areaMm2: depths.length * cellMm * cellMm,
    depthMm: depths[depths.length >> 1] ?? 0,
  }
}

/** Depths of the places of one take that lie behind a face of the other. */
function behind(
  from: OrientedCloud,
  to: OrientedCloud,
  m: Motion,
  sample: Int32Array,
  leastMm: number,
  depths: number[],
): void {
  const p = from.positions,
    pn = from.features.normals,
    q = to.positions,
    qn = to.features.normals,
    rim = to.features.boundary
  const { spacingMm } = to.features
  const deepest = DEEPEST * Math.min(from.sizeMm, to.sizeMm)
  for (const s of sample) {
    const i = s * 3
    const x = m[0] * p[i] + m[1] * p[i + 1] + m[2] * p[i + 2] + m[3]
    const y = m[4] * p[i] + m[5] * p[i + 1] + m[6] * p[i + 2] + m[7]
    const z = m[8] * p[i] + m[9] * p[i + 1] + m[10] * p[i + 2] + m[11]
    const j = to.tree.nearest(x, y, z, deepest * deepest)
    if (j < 0 || rim[j]) continue
    const k = j * 3
    const vx = x - q[k],
      vy = y - q[k + 1],
      vz = z - q[k + 2]
    const height = vx * qn[k] + vy * qn[k + 1] + vz * qn[k + 2]
    if (height > -leastMm) continue
    const depth = -height
    const aside = ASIDE_SPACINGS * spacingMm + ASIDE * depth
    if (vx * vx + vy * vy + vz * vz - height * height > aside * aside) continue
    const nx = m[0] * pn[i] + m[1] * pn[i + 1] + m[2] * pn[i + 2]
    const ny = m[4] * pn[i] + m[5] * pn[i + 1] + m[6] * pn[i + 2]
    const nz = m[8] * pn[i] + m[9] * pn[i + 1] + m[10] * pn[i + 2]
    if (nx * qn[k] + ny * qn[k + 1] + nz * qn[k + 2] < MIN_COSINE) continue
    if (hasCompany(from, i) && isShutIn(to, k, depth, [x, y, z, nx, ny, nz])) depths.push(depth)
  }
}

/**
 * Whether every way out, of those a look may have come by, leads through measured surface: round the way the nearest
 * face lies, on the side that the place itself faces.
 * @param k of the nearest place of the other take, × 3 @param x … z the place @param nx … nz the way it faces
 */
function isShutIn(
  { features, tree }: OrientedCloud,
  k: number,
  depth: number,
  [x, y, z, nx, ny, nz]: readonly number[],
): boolean {
  const { normals: n, spacingMm } = features
  const ax = n[k],
    ay = n[k + 1],
    az = n[k + 2]
  // Any two directions across the normal, at right angles (Duff et al. 2017).
  const sign = az >= 0 ? 1 : -1,
    u = -1 / (sign + az),
    w = ax * ay * u
  const ux = 1 + sign * ax * ax * u,
    uy = sign * w,
    uz = -sign * ax
  const wx = w,
    wy = sign + ay * ay * u,
    wz = -ay
  const step = spacingMm,
    near2 = (HIT_SPACINGS * spacingMm) ** 2,
    end = FAR_DEPTHS * depth + 2 * spacingMm
  let looked = 0
  for (const [along, across, count] of WAYS)
    for (let r = 0; r < count; r++) {
      const c = Math.cos((2 * Math.PI * r) / count) * across,
        s = Math.sin((2 * Math.PI * r) / count) * across
      const dx = along * ax + c * ux + s * wx,
        dy = along * ay + c * uy + s * wy,
        dz = along * az + c * uz + s * wz
      if (dx * nx + dy * ny + dz * nz < GRAZING) continue
      looked++
      let shut = false
      for (let t = 0.5 * step; t <= end && !shut; t += step) {
        const j = tree.nearest(x + t * dx, y + t * dy, z + t * dz, near2) * 3
        shut = j >= 0 && n[j] * dx + n[j + 1] * dy + n[j + 2] * dz > 0
      }
      if (!shut) return false
    }
  return looked >= MIN_WAYS
}

const ids = new Int32Array(COMPANY + 1),
  d2 = new Float64Array(COMPANY + 1)

/** Whether others of its own take lie round a place, facing as it does. */
function hasCompany({ positions: p, features, tree }: OrientedCloud, i: number): boolean {
  const reach = COMPANY_SPACINGS * features.spacingMm
  const found = tree.knn(p[i], p[i + 1], p[i + 2], COMPANY + 1, ids, d2, reach * reach)
  let same = 0
  for (let k = 0; k < found; k++) {
    const j = ids[k] * 3
    const n = features.normals
    if (j !== i && n[j] * n[i] + n[j + 1] * n[i + 1] + n[j + 2] * n[i + 2] >= SAME_FACE) same++
  }
  return same >= COMPANY - 1
}
