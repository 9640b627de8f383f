import { compose, identityMotion, invertRigid, type Motion } from '../../linear/rigid'
import { nearestOf, type DownsampledCloud } from '../coarse/downsampled-cloud'
import type { OrientedCloud } from '../oriented-cloud'

/**
 * Where a pose can't be, though what meets may fit well: one take has surface inside what the other shows as solid, or
 * free in front of what the other saw. The side a place was seen from follows from its normal, and what lies behind or
 * before it from the measured places round it, so that no word is needed of where a take was taken from.
 */
export interface Contradiction {
  /** Places of either take that lie behind closed surface of the other: nobody could have seen them. */
  readonly behind: number
  /** Places of either take that the other must have seen, and did not. */
  readonly missed: number
  /** Places of either take looked at. */
  readonly looked: number
  /** Of both together. */
  readonly areaMm2: number
  /** Median depth of what lies behind, mm. */
  readonly depthMm: number
  /**
   * What would bring it out: for each place behind, which way the first take would have to move, and how far, mm, in the
   * common frame; x, y, z, distance …
   */
  readonly push: readonly number[]
}

/** A take on its points, and on its outline for what need not be looked at so closely. */
export interface Looked {
  readonly cloud: OrientedCloud
  readonly outline: DownsampledCloud
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

/** How far in front of what the other saw a place is asked for, in sizes; and what lies nearer is met, in spacings. */
const IN_FRONT = 0.2,
  NEAR_SPACINGS = 2.5
/** A place lies open where nothing stands within this share of the size, from so many voxels on. */
const OPEN = 0.5,
  FIRST_VOXELS = 2.5
/** A place lies on an outline within so many voxels of one of its points. */
const ON_VOXELS = 0.85

/**
 * Places of one take that the other should have seen and did not: they stand free in front of surface that it saw, facing
 * as that surface does.
 */
function missed(from: Looked, to: Looked, m: Motion, sample: Int32Array, most: number): number {
  const spacing = Math.max(from.cloud.features.spacingMm, to.cloud.features.spacingMm)
  const size = Math.min(from.cloud.sizeMm, to.cloud.sizeMm)
  const { voxelMm, normals: qn, rim } = to.outline
  const met2 = (NEAR_SPACINGS * spacing) ** 2
  let count = 0
  for (const s of spread(sample)) {
    if (count >= most) break
    const w = placed(from.cloud, m, s * 3)
    if (to.cloud.tree.nearest(w.x, w.y, w.z, met2) >= 0) continue
    let foot = -1
    for (let t = Math.max(voxelMm, NEAR_SPACINGS * spacing); t <= IN_FRONT * size && foot < 0; t += voxelMm)
      foot = onOutline(to.outline, w.x - t * w.nx, w.y - t * w.ny, w.z - t * w.nz)
    if (foot < 0 || rim[foot]) continue
    const k = foot * 3
    if (qn[k] * w.nx + qn[k + 1] * w.ny + qn[k + 2] * w.nz < SAME_FACE) continue
    if (!hasCompany(from.cloud, s * 3) || !isOpen(to.outline, w, OPEN * size)) continue
    const own = placed(from.cloud, HERE, s * 3)
    if (!isOpen(from.outline, own, OPEN * size)) continue
    // The outlines leave few; these are looked at closely.
    const near2 = (HIT_SPACINGS * spacing) ** 2
    if (!footOf(to.cloud, w, spacing, IN_FRONT * size, near2)) continue
    if (isFree(to, w, spacing, OPEN * size, near2) && isFree(from, own, spacing, OPEN * size, near2)) count++
  }
  return count
}

/** Whether a take shows surface straight behind a place, facing as it does, within a distance. */
function footOf({ tree, features }: OrientedCloud, w: Place, spacingMm: number, farMm: number, near2: number): boolean {
  const { normals: n, boundary } = features
  for (let t = NEAR_SPACINGS * spacingMm; t <= farMm; t += spacingMm) {
    const j = tree.nearest(w.x - t * w.nx, w.y - t * w.ny, w.z - t * w.nz, near2)
    if (j >= 0) return !boundary[j] && n[j * 3] * w.nx + n[j * 3 + 1] * w.ny + n[j * 3 + 2] * w.nz >= SAME_FACE
  }
  return false
}

/** Whether no point stands before a place, round the way it faces. */
function isFree({ cloud, outline }: Looked, w: Place, spacingMm: number, farMm: number, near2: number): boolean {
  const d = waysRound(w.nx, w.ny, w.nz)
  const step = 1.6 * spacingMm
  for (let i = 0; i < d.length; i += 3)
    for (let t = 3 * spacingMm; t <= farMm; t += step) {
      const x = w.x + t * d[i],
        y = w.y + t * d[i + 1],
        z = w.z + t * d[i + 2]
      // Far from its outline a take has no point, either.
      if (nearestOf(outline, x, y, z) < 0) continue
      if (cloud.tree.nearest(x, y, z, near2) >= 0) return false
    }
  return true
}

/** The point of an outline that lies at a place, −1 where there is none. */
function onOutline(o: DownsampledCloud, x: number, y: number, z: number): number {
  const j = nearestOf(o, x, y, z)
  if (j < 0) return -1
  const k = j * 3,
    p = o.points
  const d2 = (p[k] - x) ** 2 + (p[k + 1] - y) ** 2 + (p[k + 2] - z) ** 2
  return d2 <= (ON_VOXELS * o.voxelMm) ** 2 ? j : -1
}

/**
 * @param a first → common @param b second → common @param places looked at, of each
 * @param leastMm what lies less deep is scatter
 * @param most no more is looked for than so many of a kind: by then nobody doubts it
 */
export function contradictionsOf(
  first: Looked,
  second: Looked,
  a: Motion,
  b: Motion,
  places: readonly [Int32Array, Int32Array],
  leastMm: number,
  cellMm: number,
  most = Infinity,
): Contradiction {
  const there = compose(invertRigid(b), a),
    back = invertRigid(there)
  const push: number[] = []
  const { cloud: one } = first,
    { cloud: other } = second
  behind(one, other, there, places[0], leastMm, most, (x, y, z, depth) => push.push(...turned(b, x, y, z), depth))
  behind(other, one, back, places[1], leastMm, most, (x, y, z, depth) => push.push(...turned(a, -x, -y, -z), depth))
  const depths = push.filter((_, i) => i % 4 === 3).sort((x, y) => x - y)
  const free = missed(first, second, there, places[0], most) + missed(second, first, back, places[1], most)
  return {
    behind: depths.length,
    missed: free,
    looked: places[0].length + places[1].length,
    areaMm2: (depths.length + free) * cellMm * cellMm,
    depthMm: depths[depths.length >> 1] ?? 0,
    push,
  }
}

const turned = (m: Motion, x: number, y: number, z: number): [number, number, number] => [
  m[0] * x + m[1] * y + m[2] * z,
  m[4] * x + m[5] * y + m[6] * z,
  m[8] * x + m[9] * y + m[10] * z,
]

/** Places of one take that lie behind a face of the other: the face's normal, and how deep. */
function behind(
  from: OrientedCloud,
  to: OrientedCloud,
  m: Motion,
  sample: Int32Array,
  leastMm: number,
  most: number,
  found: (nx: number, ny: number, nz: number, depthMm: number) => void,
): void {
  const q = to.positions,
    qn = to.features.normals,
    rim = to.features.boundary
  const { spacingMm } = to.features
  const deepest2 = (DEEPEST * Math.min(from.sizeMm, to.sizeMm)) ** 2
  let count = 0
  for (const s of spread(sample)) {
    if (count >= most) return
    const w = placed(from, m, s * 3)
    const j = to.tree.nearest(w.x, w.y, w.z, deepest2)
    if (j < 0 || rim[j]) continue
    const k = j * 3
    const vx = w.x - q[k],
      vy = w.y - q[k + 1],
      vz = w.z - q[k + 2]
    const depth = -(vx * qn[k] + vy * qn[k + 1] + vz * qn[k + 2])
    if (depth < leastMm) continue
    const aside = ASIDE_SPACINGS * spacingMm + ASIDE * depth
    if (vx * vx + vy * vy + vz * vz - depth * depth > aside * aside) continue
    if (w.nx * qn[k] + w.ny * qn[k + 1] + w.nz * qn[k + 2] < MIN_COSINE) continue
    if (hasCompany(from, s * 3) && isShutIn(to, k, depth, w)) {
      count++
      found(qn[k], qn[k + 1], qn[k + 2], depth)
    }
  }
}

/** Every place once, neighbours far from each other: so that the first of them speak for all. */
function* spread(sample: Int32Array): Generator<number> {
  const n = sample.length
  const step = n % STRIDE === 0 ? 8101 : STRIDE
  for (let k = 0, at = 0; k < n; k++, at = (at + step) % n) yield sample[at]
}
/** A prime; it and the next one cannot both divide a number of places there is room for. */
const STRIDE = 7919

/** A place and the way it faces. */
interface Place {
  readonly x: number
  readonly y: number
  readonly z: number
  readonly nx: number
  readonly ny: number
  readonly nz: number
}
const HERE = identityMotion()

/** @param i of the place, × 3 */
function placed({ positions: p, features }: OrientedCloud, m: Motion, i: number): Place {
  const n = features.normals
  const along = (r: number, v: Float32Array): number => m[r] * v[i] + m[r + 1] * v[i + 1] + m[r + 2] * v[i + 2]
  return {
    x: along(0, p) + m[3],
    y: along(4, p) + m[7],
    z: along(8, p) + m[11],
    nx: along(0, n),
    ny: along(4, n),
    nz: along(8, n),
  }
}

/** Directions round an axis, x, y, z …, as `WAYS` lists them; written over at every call. */
const ways = new Float64Array(3 * WAYS.reduce((n, [, , count]) => n + count, 0))

function waysRound(ax: number, ay: number, az: number): Float64Array {
  // Any two directions across the axis, at right angles (Duff et al. 2017).
  const sign = az >= 0 ? 1 : -1,
    u = -1 / (sign + az),
    w = ax * ay * u
  const across = [1 + sign * ax * ax * u, sign * w, -sign * ax, w, sign + ay * ay * u, -ay]
  let at = 0
  for (const [along, aside, count] of WAYS)
    for (let r = 0; r < count; r++) {
      const c = Math.cos((2 * Math.PI * r) / count) * aside,
        s = Math.sin((2 * Math.PI * r) / count) * aside
      ways[at++] = along * ax + c * across[0] + s * across[3]
      ways[at++] = along * ay + c * across[1] + s * across[4]
      ways[at++] = along * az + c * across[2] + s * across[5]
    }
  return ways
}

/**
 * Whether every way out, of those a look may have come by, leads through measured surface: round the way the nearest
 * face lies, on the side that the place itself faces.
 * @param k of the nearest place of the other take, × 3
 */
function isShutIn({ features, tree }: OrientedCloud, k: number, depth: number, w: Place): boolean {
  const { normals: n, spacingMm } = features
  const near2 = (HIT_SPACINGS * spacingMm) ** 2,
    end = FAR_DEPTHS * depth + 2 * spacingMm
  const d = waysRound(n[k], n[k + 1], n[k + 2])
  let looked = 0
  for (let i = 0; i < d.length; i += 3) {
    const dx = d[i],
      dy = d[i + 1],
      dz = d[i + 2]
    if (dx * w.nx + dy * w.ny + dz * w.nz < GRAZING) continue
    looked++
    let shut = false
    for (let t = 0.5 * spacingMm; t <= end && !shut; t += spacingMm) {
      const j = tree.nearest(w.x + t * dx, w.y + t * dy, w.z + t * dz, near2) * 3
      shut = j >= 0 && n[j] * dx + n[j + 1] * dy + n[j + 2] * dz > 0
    }
    if (!shut) return false
  }
  return looked >= MIN_WAYS
}

/** Whether an outline has nothing before a place, round the way it faces. */
function isOpen(outline: DownsampledCloud, { x, y, z, nx, ny, nz }: Place, farMm: number): boolean {
  const d = waysRound(nx, ny, nz)
  for (let i = 0; i < d.length; i += 3)
    for (let t = FIRST_VOXELS * outline.voxelMm; t <= farMm; t += outline.voxelMm)
      if (onOutline(outline, x + t * d[i], y + t * d[i + 1], z + t * d[i + 2]) >= 0) return false
  return true
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
