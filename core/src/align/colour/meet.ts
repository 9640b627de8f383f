import type { Motion } from '../../linear/rigid'
import { median } from '../../linear/samples'
import { nearestOf, type DownsampledCloud } from '../coarse/downsampled-cloud'
import type { Tones } from './tones'

/** A take as colours see it. */
export interface Toned {
  readonly outline: DownsampledCloud
  readonly tones: Tones
}

/**
 * Places of one take that lie on another, with both takes' tones: the other's carried over to the very place by its
 * slope.
 */
export interface MetTones {
  readonly count: number
  /** Place in the other's coordinates (3), its slope there (3). */
  readonly at: Float64Array
  readonly slope: Float64Array
  readonly own: Float64Array
  readonly other: Float64Array
  /** Distance to the other's surface, mm. */
  readonly apartMm: Float64Array
}

const MIN_COSINE = 0.8
const REACH_VOXELS = 1.5

/** @param motion from → to @param stride looks at every so many places */
export function meetTones(from: Toned, to: Toned, motion: Motion, stride: number): MetTones {
  const p = from.outline.points,
    pn = from.outline.normals,
    q = to.outline.points,
    qn = to.outline.normals
  const room = Math.ceil(p.length / 3 / stride)
  const at = new Float64Array(room * 3),
    slope = new Float64Array(room * 3),
    own = new Float64Array(room),
    other = new Float64Array(room),
    apartMm = new Float64Array(room)
  const [m0, m1, m2, m3, m4, m5, m6, m7, m8, m9, m10, m11] = motion as unknown as number[]
  const reach2 = (REACH_VOXELS * to.outline.voxelMm) ** 2
  let count = 0
  for (let i = 0; i < p.length; i += 3 * stride) {
    const tone = from.tones.tone[i / 3]
    if (Number.isNaN(tone)) continue
    const x = m0 * p[i] + m1 * p[i + 1] + m2 * p[i + 2] + m3
    const y = m4 * p[i] + m5 * p[i + 1] + m6 * p[i + 2] + m7
    const z = m8 * p[i] + m9 * p[i + 1] + m10 * p[i + 2] + m11
    const j = nearestOf(to.outline, x, y, z)
    if (j < 0) continue
    const there = to.tones.tone[j]
    if (Number.isNaN(there)) continue
    const k = j * 3
    const nx = m0 * pn[i] + m1 * pn[i + 1] + m2 * pn[i + 2]
    const ny = m4 * pn[i] + m5 * pn[i + 1] + m6 * pn[i + 2]
    const nz = m8 * pn[i] + m9 * pn[i + 1] + m10 * pn[i + 2]
    if (nx * qn[k] + ny * qn[k + 1] + nz * qn[k + 2] < MIN_COSINE) continue
    const dx = x - q[k],
      dy = y - q[k + 1],
      dz = z - q[k + 2]
    if (dx * dx + dy * dy + dz * dz > reach2) continue
    const g = to.tones.gradient
    const c = count * 3
    at[c] = x
    at[c + 1] = y
    at[c + 2] = z
    slope[c] = g[k]!
    slope[c + 1] = g[k + 1]!
    slope[c + 2] = g[k + 2]!
    const ux = nx + qn[k],
      uy = ny + qn[k + 1],
      uz = nz + qn[k + 2]
    apartMm[count] = (ux * dx + uy * dy + uz * dz) / Math.sqrt(ux * ux + uy * uy + uz * uz)
    own[count] = tone
    other[count++] = there + g[k] * dx + g[k + 1] * dy + g[k + 2] * dz
  }
  return { count, at, slope, own, other, apartMm }
}

/** Places that must meet before colours are asked. */
export const MIN_MET = 60

/**
 * Correlation of the tones of what meets, −1 to 1: exposure and contrast may differ. NaN where too little meets or one
 * side is plain.
 */
export function agreementOf(lists: readonly MetTones[]): number {
  let n = 0,
    a = 0,
    b = 0
  for (const m of lists)
    for (let i = 0; i < m.count; i++) {
      a += m.own[i]
      b += m.other[i]
      n++
    }
  if (n < MIN_MET) return NaN
  a /= n
  b /= n
  let ab = 0,
    aa = 0,
    bb = 0
  for (const m of lists)
    for (let i = 0; i < m.count; i++) {
      const u = m.own[i] - a,
        v = m.other[i] - b
      ab += u * v
      aa += u * u
      bb += v * v
    }
  return aa > 0 && bb > 0 ? ab / Math.sqrt(aa * bb) : NaN
}

/**
 * Standard deviation of the logarithm of lightness from which on a surface has something to tell: a twentieth lighter
 * or darker.
 */
const CONTRAST = 0.05

/** Whether both sides of what meets are lighter here and darker there. */
export function contrasts(lists: readonly MetTones[]): boolean {
  const deviation = (side: 'own' | 'other'): number => {
    const values = lists.flatMap((m) => [...m[side].subarray(0, m.count)])
    const mean = values.reduce((s, v) => s + v, 0) / Math.max(1, values.length)
    return Math.sqrt(values.reduce((s, v) => s + (v - mean) ** 2, 0) / Math.max(1, values.length))
  }
  return deviation('own') >= CONTRAST && deviation('other') >= CONTRAST
}

/** Tones that hang together less than this say nothing. */
const AGREES = 0.6
/** Fisher's z of the best pose less that of the next: so much settles it. */
const LEAD = 0.3

const fisher = (r: number): number => Math.atanh(Math.max(-0.999, Math.min(0.999, r)))

/**
 * Whether an agreement speaks for its pose against another's, in Fisher's z (Fisher 1921, "On the probable error of a
 * coefficient of correlation", Metron 1).
 */
export const leads = (best: number, other: number): boolean =>
  best >= AGREES && (Number.isNaN(other) || fisher(best) - fisher(other) >= LEAD)

/**
 * Chance agreements seen in other poses that a true one must stand above, in their own standard deviations; and how
 * many of them say what chance does.
 */
const STANDS_OUT = 6
const MIN_OTHERS = 20

/** Whether an agreement is plainly more than what other poses show by chance. */
export function standsOut(best: number, others: readonly number[]): boolean {
  if (others.length < MIN_OTHERS) return true
  // Poses near the true one agree, too: the middle and the middle deviation do not mind a few of those.
  const z = Float64Array.from(others, fisher),
    middle = median(z)
  const deviation = 1.4826 * median(z.map((v) => Math.abs(v - middle)))
  return fisher(best) - middle >= STANDS_OUT * deviation
}
