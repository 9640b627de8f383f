import { meanPoint } from '../../linear/mean-point'
import { hornRotation } from '../../linear/horn'
import { compose, identityMotion, invertRigid, rotationAngle, shiftMotion, transformPoint, twistMotion, type Motion } from '../../linear/rigid'
import { solveCholesky } from '../../linear/cholesky'
import { symmetricEigen } from '../slippage'
import { DIMENSIONS, type Described } from './describe'
import { nearestOf, type Outline } from './outline'
import { countInTheWay } from './sight'

/** One pose in which two takes may belong together. */
export interface Candidate {
  /** a → b */
  readonly motion: Motion
  /** Share of the smaller take's outline that lies on the other. */
  readonly share: number
  /** Outline points that fit, of both, averaged. */
  readonly fitting: number
  /** Share of the outline points that would have hidden what the other take saw. */
  readonly inTheWay: number
  /** Root mean square distance of what fits, voxels. */
  readonly rmsVoxels: number
  /** Fitting points less what speaks against them; candidates are ranked by it. */
  readonly score: number
}

/** Matches asked of each query, seeds tried, members of a consensus. */
const MATCHES = 3
const SEEDS = 130
const CONSENSUS = 24
const LEAST_CONSENSUS = 4
/** Candidates refined, and given back at most. */
const REFINED = 18
export const MOST_CANDIDATES = 10
/** Poses nearer than this are one. */
const SAME_DEG = 12
const SAME_VOXELS = 6
/** A point in the way counts against so many that fit. */
const BLOCKED_WEIGHT = 3
/** How far in front of what was seen a point must stand to be in the way: pixels of the depth picture. */
export const MARGIN_PIXELS = 1.3
const MIN_COSINE = 0.8
const FIT_VOXELS = 1.2
const CLEAR = { share: 0.3, rmsVoxels: 0.2, inTheWay: 0.01 } as const

/**
 * Poses in which two takes may belong together, without any start: feature matches (several for each place), second-order compatible consensus sets,
 * poses clustered, refined on the outlines, ranked by what fits less what one take would have hidden from the other.
 * Sources: Chen, Sun, Yang, Tao 2022, "SC²-PCR: a second order spatial compatibility for efficient and robust point cloud registration", CVPR;
 * compatibility of oriented pairs as in Drost, Ulrich, Navab, Ilic 2010, "Model globally, match locally", CVPR (the four-part pair feature).
 */
export function matchCoarse(a: Described, b: Described): Candidate[] {
  const pairs = featureMatches(a, b)
  const poses = consensusPoses(a.outline, b.outline, pairs)
  const ranked = rankPoses(a, b, poses)
  const [best] = ranked
  // Where features lead to a pose that fits without a doubt, the axes of the whole add nothing but time.
  if (best && best.share >= CLEAR.share && best.rmsVoxels <= CLEAR.rmsVoxels && best.inTheWay <= CLEAR.inTheWay) return ranked
  return rankPoses(a, b, [...poses, ...axisPoses(a.outline, b.outline)])
}

/** Distinct, refined, ranked. Poses may come from anywhere: features, symmetries, other takes. */
export function rankPoses(a: Described, b: Described, poses: readonly Motion[]): Candidate[] {
  const voxel = a.outline.voxelMm
  const middle = meanPoint(a.outline.points)
  const stride = Math.max(1, Math.floor(a.outline.points.length / 3 / 300))
  const first = poses.map((motion) => ({ motion, score: withTones(fitOneWay(a, b, motion, stride, 2 * voxel)) - BLOCKED_WEIGHT * countInTheWay(b.sight, a.outline.points, stride, motion, MARGIN_PIXELS * b.sight.pixelMm) }))
    .sort((p, q) => q.score - p.score)
  const chosen: Motion[] = []
  for (const { motion } of first) {
    if (chosen.length >= REFINED) break
    if (chosen.every((c) => !samePose(c, motion, middle, voxel))) chosen.push(motion)
  }
  const found = chosen.map((m) => judgePose(a, b, refineOutline(a.outline, b.outline, m))).filter((c) => c.fitting > 0).sort((p, q) => q.score - p.score)
  const kept: Candidate[] = []
  for (const c of found) if (kept.length < MOST_CANDIDATES && kept.every((k) => !samePose(k.motion, c.motion, middle, voxel))) kept.push(c)
  return kept
}

/**
 * The takes' principal axes laid on each other in all 24 ways: what plain pieces without features have instead. A take's own half may lie off the
 * middle of the whole, so that its middle is laid on the other's and, besides, at either end of the shortest axis.
 */
function axisPoses(a: Outline, b: Outline): Motion[] {
  const from = principalFrame(a.points), to = principalFrame(b.points)
  const out: Motion[] = []
  for (const order of [[0, 1, 2], [0, 2, 1], [1, 0, 2], [1, 2, 0], [2, 0, 1], [2, 1, 0]]) for (let signs = 0; signs < 8; signs++) {
    const columns = order.map((k, i) => from.axes[k]!.map((v) => (signs & (1 << i) ? -v : v)))
    const m = identityMotion()
    for (let r = 0; r < 3; r++) for (let c = 0; c < 3; c++) m[r * 4 + c] = [0, 1, 2].reduce((s, k) => s + to.axes[k]![r]! * columns[k]![c]!, 0)
    const det = m[0]! * (m[5]! * m[10]! - m[6]! * m[9]!) - m[1]! * (m[4]! * m[10]! - m[6]! * m[8]!) + m[2]! * (m[4]! * m[9]! - m[5]! * m[8]!)
    if (det < 0) continue
    const at = transformPoint(m, ...from.middle)
    for (const along of [0, 1, -1]) {
      const pose = Float64Array.from(m)
      for (let k = 0; k < 3; k++) pose[k * 4 + 3] = to.middle[k]! - at[k]! + along * to.axes[0]![k]! * to.halfMm
      out.push(pose)
    }
  }
  return out
}

/** Axes of least to most extent, and half the extent along the first. */
export function principalFrame(p: Float32Array): { middle: [number, number, number]; axes: Float64Array[]; halfMm: number } {
  const middle = meanPoint(p)
  const c = new Float64Array(9)
  for (let i = 0; i < p.length; i += 3) for (let r = 0; r < 3; r++) for (let s = 0; s < 3; s++) c[r * 3 + s]! += (p[i + r]! - middle[r]!) * (p[i + s]! - middle[s]!)
  const axes = symmetricEigen(c, 3).vectors
  let low = Infinity, high = -Infinity
  for (let i = 0; i < p.length; i += 3) {
    const along = [0, 1, 2].reduce((s, k) => s + axes[0]![k]! * (p[i + k]! - middle[k]!), 0)
    low = Math.min(low, along)
    high = Math.max(high, along)
  }
  return { middle, axes, halfMm: (high - low) / 2 }
}

/** Everything that speaks for and against one pose. */
export function judgePose(a: Described, b: Described, motion: Motion): Candidate {
  const voxel = a.outline.voxelMm
  const back = invertRigid(motion)
  const na = a.outline.points.length / 3, nb = b.outline.points.length / 3
  const strideA = Math.max(1, Math.floor(na / 1200)), strideB = Math.max(1, Math.floor(nb / 1200))
  const ab = fitOneWay(a, b, motion, strideA, FIT_VOXELS * voxel), ba = fitOneWay(b, a, back, strideB, FIT_VOXELS * voxel)
  const blockedA = countInTheWay(b.sight, a.outline.points, strideA, motion, MARGIN_PIXELS * b.sight.pixelMm) * strideA
  const blockedB = countInTheWay(a.sight, b.outline.points, strideB, back, MARGIN_PIXELS * a.sight.pixelMm) * strideB
  const fitting = (ab.count * strideA + ba.count * strideB) / 2
  return {
    motion, fitting, share: Math.min(1, fitting / Math.min(na, nb)), inTheWay: (blockedA + blockedB) / (na + nb),
    rmsVoxels: Math.sqrt((ab.sum + ba.sum) / Math.max(1, ab.count + ba.count)) / voxel,
    score: (withTones(ab) * strideA + withTones(ba) * strideB) / 2 - BLOCKED_WEIGHT * (blockedA + blockedB) / 2,
  }
}

export function samePose(m: Motion, n: Motion, about: readonly number[], voxelMm: number): boolean {
  const p = transformPoint(m, about[0]!, about[1]!, about[2]!), q = transformPoint(n, about[0]!, about[1]!, about[2]!)
  if (Math.hypot(p[0] - q[0], p[1] - q[1], p[2] - q[2]) > SAME_VOXELS * voxelMm) return false
  return (rotationAngle(compose(invertRigid(m), n)) * 180) / Math.PI < SAME_DEG
}

/** Per query the nearest places of the other take by features: [query, place] pairs, best queries first. */
function featureMatches(a: Described, b: Described): Int32Array {
  const n = b.outline.points.length / 3
  const out = new Int32Array(a.queries.length * MATCHES * 2)
  const gap = new Float64Array(a.queries.length)
  const best = new Float64Array(MATCHES), at = new Int32Array(MATCHES)
  const { features: fa } = a, { features: fb } = b
  a.queries.forEach((q, k) => {
    best.fill(Infinity)
    const row = q * DIMENSIONS
    for (let j = 0; j < n; j++) {
      if (b.outline.rim[j]) continue
      const other = j * DIMENSIONS
      let s = 0
      const worst = best[MATCHES - 1]!
      for (let d = 0; d < DIMENSIONS; d += 5) {
        const d0 = fa[row + d]! - fb[other + d]!, d1 = fa[row + d + 1]! - fb[other + d + 1]!, d2 = fa[row + d + 2]! - fb[other + d + 2]!
        const d3 = fa[row + d + 3]! - fb[other + d + 3]!, d4 = fa[row + d + 4]! - fb[other + d + 4]!
        s += d0 * d0 + d1 * d1 + d2 * d2 + d3 * d3 + d4 * d4
        if (s >= worst) break
      }
      if (s >= worst) continue
      let w = MATCHES - 1
      for (; w > 0 && best[w - 1]! > s; w--) {
        best[w] = best[w - 1]!
        at[w] = at[w - 1]!
      }
      best[w] = s
      at[w] = j
    }
    gap[k] = best[0]!
    for (let w = 0; w < MATCHES; w++) {
      out[(k * MATCHES + w) * 2] = q
      out[(k * MATCHES + w) * 2 + 1] = best[w] === Infinity ? -1 : at[w]!
    }
  })
  return out
}

/** One pose for each seed whose compatible matches agree among themselves. */
function consensusPoses(a: Outline, b: Outline, pairs: Int32Array): Motion[] {
  const n = pairs.length / 2
  const voxel = a.voxelMm
  const near = 3 * voxel
  const tolerance = 1.5 * voxel
  const set = new Int32Array(n), degree = new Int32Array(n)
  const poses: Motion[] = []
  const p = a.points, pn = a.normals, q = b.points, qn = b.normals
  const fits = (i: number, j: number): boolean => {
    const ai = pairs[i * 2]! * 3, aj = pairs[j * 2]! * 3, bi = pairs[i * 2 + 1]! * 3, bj = pairs[j * 2 + 1]! * 3
    if (bi < 0 || bj < 0 || ai === aj || bi === bj) return false
    const ax = p[aj]! - p[ai]!, ay = p[aj + 1]! - p[ai + 1]!, az = p[aj + 2]! - p[ai + 2]!
    const bx = q[bj]! - q[bi]!, by = q[bj + 1]! - q[bi + 1]!, bz = q[bj + 2]! - q[bi + 2]!
    const da = Math.sqrt(ax * ax + ay * ay + az * az), db = Math.sqrt(bx * bx + by * by + bz * bz)
    if (da < near || Math.abs(da - db) > tolerance) return false
    const ia = 1 / da, ib = 1 / db
    if (Math.abs((pn[ai]! * ax + pn[ai + 1]! * ay + pn[ai + 2]! * az) * ia - (qn[bi]! * bx + qn[bi + 1]! * by + qn[bi + 2]! * bz) * ib) > 0.2) return false
    if (Math.abs((pn[aj]! * ax + pn[aj + 1]! * ay + pn[aj + 2]! * az) * ia - (qn[bj]! * bx + qn[bj + 1]! * by + qn[bj + 2]! * bz) * ib) > 0.2) return false
    return Math.abs(pn[ai]! * pn[aj]! + pn[ai + 1]! * pn[aj + 1]! + pn[ai + 2]! * pn[aj + 2]! - (qn[bi]! * qn[bj]! + qn[bi + 1]! * qn[bj + 1]! + qn[bi + 2]! * qn[bj + 2]!)) < 0.25
  }
  const step = Math.max(1, Math.floor(n / SEEDS))
  for (let seed = 0; seed < n; seed += step) {
    let m = 0
    for (let j = 0; j < n && m < n; j++) if (j !== seed && fits(seed, j)) set[m++] = j
    if (m < LEAST_CONSENSUS) continue
    // Many matches agree with a seed by chance; those that also agree among themselves hardly.
    const most = Math.min(m, 70)
    for (let s = 0; s < most; s++) set[s] = set[Math.floor((s * m) / most)]!
    degree.fill(0, 0, most)
    for (let s = 0; s < most; s++) for (let t = 0; t < s; t++) if (fits(set[s]!, set[t]!)) {
      degree[s]!++
      degree[t]!++
    }
    let hub = 0
    for (let s = 1; s < most; s++) if (degree[s]! > degree[hub]!) hub = s
    if (degree[hub]! < LEAST_CONSENSUS - 1) continue
    const members: number[] = []
    for (let s = 0; s < most; s++) if (s === hub || fits(set[hub]!, set[s]!)) members.push(s)
    members.sort((x, y) => degree[y]! - degree[x]!)
    poses.push(poseOf(a, b, pairs, [seed, ...members.slice(0, CONSENSUS).map((s) => set[s]!)]))
  }
  return poses
}

/** Least squares over positions and normals of the matches. */
function poseOf(a: Outline, b: Outline, pairs: Int32Array, members: readonly number[]): Motion {
  const ca = [0, 0, 0], cb = [0, 0, 0]
  for (const m of members) for (let k = 0; k < 3; k++) {
    ca[k]! += a.points[pairs[m * 2]! * 3 + k]! / members.length
    cb[k]! += b.points[pairs[m * 2 + 1]! * 3 + k]! / members.length
  }
  const s = new Float64Array(9)
  // Normals weigh as a point so far out would.
  const lever = (6 * a.voxelMm) ** 2
  for (const m of members) {
    const i = pairs[m * 2]! * 3, j = pairs[m * 2 + 1]! * 3
    for (let r = 0; r < 3; r++) for (let c = 0; c < 3; c++) {
      s[r * 3 + c]! += (b.points[j + r]! - cb[r]!) * (a.points[i + c]! - ca[c]!) + lever * b.normals[j + r]! * a.normals[i + c]!
    }
  }
  const out = identityMotion()
  hornRotation(s, out)
  const at = transformPoint(out, ca[0]!, ca[1]!, ca[2]!)
  for (let k = 0; k < 3; k++) out[k * 4 + 3] = cb[k]! - at[k]!
  return out
}

/** How many places fit, the sum of their squared distances, and how well the tones of both go together there: a correlation; 0 without tones. */
interface Fit { readonly count: number; readonly sum: number; readonly agreement: number }

/** Places whose tones go together count more, those whose tones go against each other less: by at most as much as they count themselves. */
const withTones = ({ count, agreement }: Fit): number => count * (1 + agreement)
/** Fewer places say nothing of tones, nor do tones that hardly differ (a variance of logarithms: some 5 % of the light). */
const LEAST_TONES = 30, LEAST_VARIANCE = 0.0025

function fitOneWay({ outline: from, tones: fromTones }: Described, { outline: to, tones: toTones }: Described, motion: Motion, stride: number, reachMm: number): Fit {
  const ta = fromTones?.tone, tb = toTones?.tone
  let known = 0, sa = 0, sb = 0, saa = 0, sbb = 0, sab = 0
  const p = from.points, pn = from.normals, q = to.points, qn = to.normals
  const [m0, m1, m2, m3, m4, m5, m6, m7, m8, m9, m10, m11] = motion as unknown as number[]
  let count = 0, sum = 0
  const sideways = (1.6 * to.voxelMm) ** 2
  for (let i = 0; i < p.length; i += 3 * stride) {
    const x = m0! * p[i]! + m1! * p[i + 1]! + m2! * p[i + 2]! + m3!
    const y = m4! * p[i]! + m5! * p[i + 1]! + m6! * p[i + 2]! + m7!
    const z = m8! * p[i]! + m9! * p[i + 1]! + m10! * p[i + 2]! + m11!
    const j = nearestOf(to, x, y, z) * 3
    if (j < 0) continue
    const nx = m0! * pn[i]! + m1! * pn[i + 1]! + m2! * pn[i + 2]!
    const ny = m4! * pn[i]! + m5! * pn[i + 1]! + m6! * pn[i + 2]!
    const nz = m8! * pn[i]! + m9! * pn[i + 1]! + m10! * pn[i + 2]!
    if (nx * qn[j]! + ny * qn[j + 1]! + nz * qn[j + 2]! < MIN_COSINE) continue
    const dx = x - q[j]!, dy = y - q[j + 1]!, dz = z - q[j + 2]!
    const ux = nx + qn[j]!, uy = ny + qn[j + 1]!, uz = nz + qn[j + 2]!
    const r = (ux * dx + uy * dy + uz * dz) / Math.sqrt(ux * ux + uy * uy + uz * uz)
    if (Math.abs(r) > reachMm || dx * dx + dy * dy + dz * dz - r * r > sideways) continue
    count++
    sum += r * r
    if (!ta || !tb) continue
    const u = ta[i / 3]!, v = tb[j / 3]!
    if (Number.isNaN(u) || Number.isNaN(v)) continue
    known++
    sa += u; sb += v; saa += u * u; sbb += v * v; sab += u * v
  }
  const va = saa - (sa * sa) / known, vb = sbb - (sb * sb) / known
  const telling = known >= LEAST_TONES && va > LEAST_VARIANCE * known && vb > LEAST_VARIANCE * known
  return { count, sum, agreement: telling ? (sab - (sa * sb) / known) / Math.sqrt(va * vb) : 0 }
}

const ROUNDS = 12

/** Point-to-plane matching of the outlines with a narrowing reach (symmetric objective, Rusinkiewicz 2019). */
export function refineOutline(a: Outline, b: Outline, start: Motion): Motion {
  const voxel = a.voxelMm
  const stride = Math.max(1, Math.floor(a.points.length / 3 / 700))
  const h = new Float64Array(36), g = new Float64Array(6), x = new Float64Array(6), row = new Float64Array(6)
  const p = a.points, pn = a.normals, q = b.points, qn = b.normals
  let motion = start
  for (let round = 0; round < ROUNDS; round++) {
    const reach = voxel * Math.max(0.9, 3.5 * 0.8 ** round)
    const [m0, m1, m2, m3, m4, m5, m6, m7, m8, m9, m10, m11] = motion as unknown as number[]
    h.fill(0)
    g.fill(0)
    const c = meanPoint(a.points)
    const [cx, cy, cz] = transformPoint(motion, c[0], c[1], c[2])
    let count = 0
    for (let i = 0; i < p.length; i += 3 * stride) {
      const px = m0! * p[i]! + m1! * p[i + 1]! + m2! * p[i + 2]! + m3!
      const py = m4! * p[i]! + m5! * p[i + 1]! + m6! * p[i + 2]! + m7!
      const pz = m8! * p[i]! + m9! * p[i + 1]! + m10! * p[i + 2]! + m11!
      const j = nearestOf(b, px, py, pz) * 3
      if (j < 0 || (b.rim[j / 3] && round > 3)) continue
      const nx = m0! * pn[i]! + m1! * pn[i + 1]! + m2! * pn[i + 2]!
      const ny = m4! * pn[i]! + m5! * pn[i + 1]! + m6! * pn[i + 2]!
      const nz = m8! * pn[i]! + m9! * pn[i + 1]! + m10! * pn[i + 2]!
      if (nx * qn[j]! + ny * qn[j + 1]! + nz * qn[j + 2]! < 0.7) continue
      let ux = nx + qn[j]!, uy = ny + qn[j + 1]!, uz = nz + qn[j + 2]!
      const l = 1 / Math.sqrt(ux * ux + uy * uy + uz * uz)
      ux *= l; uy *= l; uz *= l
      const r = ux * (px - q[j]!) + uy * (py - q[j + 1]!) + uz * (pz - q[j + 2]!)
      if (Math.abs(r) > reach) continue
      const w = (1 - (r / reach) ** 2) ** 2
      const mx = (px + q[j]!) / 2 - cx, my = (py + q[j + 1]!) / 2 - cy, mz = (pz + q[j + 2]!) / 2 - cz
      row[0] = my * uz - mz * uy; row[1] = mz * ux - mx * uz; row[2] = mx * uy - my * ux
      row[3] = ux; row[4] = uy; row[5] = uz
      for (let s = 0; s < 6; s++) {
        const ws = w * row[s]!
        g[s]! -= ws * r
        for (let t = s; t < 6; t++) h[s * 6 + t]! += ws * row[t]!
      }
      count++
    }
    if (count < 12) return motion
    for (let s = 0; s < 6; s++) for (let t = 0; t < s; t++) h[s * 6 + t] = h[t * 6 + s]!
    // What the surface leaves free must not run away.
    for (let s = 0; s < 6; s++) h[s * 7]! += 1e-3 * (s < 3 ? (h[0]! + h[7]! + h[14]!) / 3 : (h[21]! + h[28]! + h[35]!) / 3) + 1e-12
    if (!solveCholesky(h, g, x, 6)) return motion
    motion = compose(shiftMotion(cx, cy, cz), compose(twistMotion(x), compose(shiftMotion(-cx, -cy, -cz), motion)))
  }
  return motion
}
