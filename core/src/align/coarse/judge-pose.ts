import { compose, invertRigid, rotationAngle, transformPoint, type Motion } from '../../linear/rigid'
import type { TakeFeatures } from './features'
import { nearestOf } from './downsampled-cloud'
import { countInTheWay } from '../../view/seen-space'

/** One pose in which two takes may belong together. */
export interface Candidate {
  /** a → b */
  readonly motion: Motion
  /** Share of the smaller take's outline that lies on the other. */
  readonly share: number
  /** DownsampledCloud points that fit, of both, averaged. */
  readonly fitting: number
  /** Share of the outline points that would have hidden what the other take saw. */
  readonly inTheWay: number
  /** Root mean square distance of what fits, voxels. */
  readonly rmsVoxels: number
  /** Fitting points less what speaks against them; candidates are ranked by it. */
  readonly score: number
}

/** Poses nearer than this are one. */
const SAME_DEG = 12
const SAME_VOXELS = 6
/** A point in the way counts against so many that fit. */
const BLOCKED_WEIGHT = 3
/** How far in front of what was seen a point must stand to be in the way: pixels of the depth picture. */
export const MARGIN_PIXELS = 1.3
const MIN_COSINE = 0.8
const FIT_VOXELS = 1.2

/** Everything that speaks for and against one pose. */
export function judgePose(a: TakeFeatures, b: TakeFeatures, motion: Motion): Candidate {
  const voxel = a.outline.voxelMm
  const back = invertRigid(motion)
  const na = a.outline.points.length / 3,
    nb = b.outline.points.length / 3
  const strideA = Math.max(1, Math.floor(na / 1200)),
    strideB = Math.max(1, Math.floor(nb / 1200))
  const ab = fitOneWay(a, b, motion, strideA, FIT_VOXELS * voxel),
    ba = fitOneWay(b, a, back, strideB, FIT_VOXELS * voxel)
  const blockedA = countInTheWay(b.seen, a.outline.points, strideA, motion, MARGIN_PIXELS * b.seen.pixelMm) * strideA
  const blockedB = countInTheWay(a.seen, b.outline.points, strideB, back, MARGIN_PIXELS * a.seen.pixelMm) * strideB
  const fitting = (ab.count * strideA + ba.count * strideB) / 2
  return {
    motion,
    fitting,
    share: Math.min(1, fitting / Math.min(na, nb)),
    inTheWay: (blockedA + blockedB) / (na + nb),
    rmsVoxels: Math.sqrt((ab.sum + ba.sum) / Math.max(1, ab.count + ba.count)) / voxel,
    score: (withTones(ab) * strideA + withTones(ba) * strideB) / 2 - (BLOCKED_WEIGHT * (blockedA + blockedB)) / 2,
  }
}

/**
 * Whether two motions lay a place within a few voxels of each other and turn alike.
 * @param about a place on the piece, mm
 */
export function samePose(m: Motion, n: Motion, about: readonly number[], voxelMm: number): boolean {
  const p = transformPoint(m, about[0], about[1], about[2]),
    q = transformPoint(n, about[0], about[1], about[2])
  if (Math.hypot(p[0] - q[0], p[1] - q[1], p[2] - q[2]) > SAME_VOXELS * voxelMm) return false
  return (rotationAngle(compose(invertRigid(m), n)) * 180) / Math.PI < SAME_DEG
}

/** A first look at a pose, at some of the points of one take: ranks as `judgePose` does, roughly. */
export function firstLook(a: TakeFeatures, b: TakeFeatures, motion: Motion, stride: number): number {
  return (
    withTones(fitOneWay(a, b, motion, stride, 2 * a.outline.voxelMm)) -
    BLOCKED_WEIGHT * countInTheWay(b.seen, a.outline.points, stride, motion, MARGIN_PIXELS * b.seen.pixelMm)
  )
}

/**
 * How many places fit, the sum of their squared distances, and how well the tones of both go together there: a
 * correlation; 0 without tones.
 */
interface Fit {
  readonly count: number
  readonly sum: number
  readonly agreement: number
}

/**
 * Places whose tones go together count more, those whose tones go against each other less: by at most as much as they
 * count themselves.
 */
const withTones = ({ count, agreement }: Fit): number => count * (1 + agreement)
/**
 * Fewer places say nothing of tones, nor do tones that hardly differ (a variance of logarithms: some 5 % of the light).
 */
const MIN_TONES = 30,
  MIN_VARIANCE = 0.0025

function fitOneWay(
  { outline: from, tones: fromTones }: TakeFeatures,
  { outline: to, tones: toTones }: TakeFeatures,
  motion: Motion,
  stride: number,
  reachMm: number,
): Fit {
  const ta = fromTones?.tone,
    tb = toTones?.tone
  let known = 0,
    sa = 0,
    sb = 0,
    saa = 0,
    sbb = 0,
    sab = 0
  const p = from.points,
    pn = from.normals,
    q = to.points,
    qn = to.normals
  const [m0, m1, m2, m3, m4, m5, m6, m7, m8, m9, m10, m11] = motion as unknown as number[]
  let count = 0,
    sum = 0
  const sideways = (1.6 * to.voxelMm) ** 2
  for (let i = 0; i < p.length; i += 3 * stride) {
    const x = m0 * p[i] + m1 * p[i + 1] + m2 * p[i + 2] + m3
    const y = m4 * p[i] + m5 * p[i + 1] + m6 * p[i + 2] + m7
    const z = m8 * p[i] + m9 * p[i + 1] + m10 * p[i + 2] + m11
    const j = nearestOf(to, x, y, z) * 3
    if (j < 0) continue
    const nx = m0 * pn[i] + m1 * pn[i + 1] + m2 * pn[i + 2]
    const ny = m4 * pn[i] + m5 * pn[i + 1] + m6 * pn[i + 2]
    const nz = m8 * pn[i] + m9 * pn[i + 1] + m10 * pn[i + 2]
    if (nx * qn[j] + ny * qn[j + 1] + nz * qn[j + 2] < MIN_COSINE) continue
    const dx = x - q[j],
      dy = y - q[j + 1],
      dz = z - q[j + 2]
    const ux = nx + qn[j],
      uy = ny + qn[j + 1],
      uz = nz + qn[j + 2]
    const r = (ux * dx + uy * dy + uz * dz) / Math.sqrt(ux * ux + uy * uy + uz * uz)
    if (Math.abs(r) > reachMm || dx * dx + dy * dy + dz * dz - r * r > sideways) continue
    count++
    sum += r * r
    if (!ta || !tb) continue
    const u = ta[i / 3],
      v = tb[j / 3]
    if (Number.isNaN(u) || Number.isNaN(v)) continue
    known++
    sa += u
    sb += v
    saa += u * u
    sbb += v * v
    sab += u * v
  }
  const va = saa - (sa * sa) / known,
    vb = sbb - (sb * sb) / known
  const telling = known >= MIN_TONES && va > MIN_VARIANCE * known && vb > MIN_VARIANCE * known
  return { count, sum, agreement: telling ? (sab - (sa * sb) / known) / Math.sqrt(va * vb) : 0 }
}
