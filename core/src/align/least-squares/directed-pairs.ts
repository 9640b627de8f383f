import { compose, invertRigid, rotationAngle, transformPoint, type Motion } from '../../linear/rigid'
import type { OrientedCloud } from '../oriented-cloud'

/** Sampled points of one body and what they met on another. */
export interface DirectedPairs {
  readonly sample: Int32Array
  /** Nearest points found before, and how far the bodies may move until they must be looked up again. */
  readonly match: Int32Array
  readonly lead: Float64Array
  travelled: number
  last: Motion | null
  count: number
  /**
   * Per pair, in the common frame: midpoint less centre (3), unit mean normal (3), how far `from` lies from `to` along
   * it, and the squared distance of the two points.
   */
  readonly pair: Float64Array
}

/** Numbers a pair takes in `pair`, and where its distance along the normal and its squared distance stand. */
export const PAIR_SIZE = 8
export const ALONG = 6
export const APART2 = 7

/** The contract's overlap angle: normals that differ by more are not of one surface. */
export const SAME_SURFACE = Math.SQRT1_2

/** No pairs yet for the points listed. */
export const noPairs = (sample: Int32Array): DirectedPairs => ({
  sample,
  match: new Int32Array(sample.length).fill(-1),
  lead: new Float64Array(sample.length).fill(-1),
  travelled: 0,
  last: null,
  count: 0,
  pair: new Float64Array(sample.length * PAIR_SIZE),
})

/**
 * Pairs of one direction: the nearest point of `to` for each sampled point of `from`. Those at a rim, facing another
 * way or farther than the limit are left out. Matches are kept while they must still be the nearest (Nüchter,
 * Lingemann, Hertzberg 2007, "Cached k-d tree search for ICP algorithms").
 * @param a from → common frame @param b to → common frame
 */
export function pairDirection(
  d: DirectedPairs,
  from: OrientedCloud,
  to: OrientedCloud,
  a: Motion,
  b: Motion,
  limitMm: number,
  centre: ArrayLike<number>,
  sizeMm: number,
  minCosine = SAME_SURFACE,
): void {
  d.count = 0
  if (d.sample.length === 0) return
  const relative = compose(invertRigid(b), a)
  if (d.last) {
    const delta = compose(invertRigid(d.last), relative)
    const p = from.positions,
      s = d.sample[0] * 3
    const at = transformPoint(delta, p[s], p[s + 1], p[s + 2])
    d.travelled += Math.hypot(at[0] - p[s], at[1] - p[s + 1], at[2] - p[s + 2]) + rotationAngle(delta) * sizeMm
  }
  d.last = relative
  const p = from.positions,
    pn = from.features.normals,
    pb = from.features.boundary,
    q = to.positions,
    qn = to.features.normals,
    qb = to.features.boundary
  const { tree } = to
  const [m0, m1, m2, m3, m4, m5, m6, m7, m8, m9, m10, m11] = relative as unknown as number[]
  const [b0, b1, b2, b3, b4, b5, b6, b7, b8, b9, b10, b11] = b as unknown as number[]
  const [cx, cy, cz] = centre as [number, number, number]
  const limit2 = limitMm * limitMm
  const reach = 1.5 * limitMm
  const out = d.pair
  let at = 0
  for (let s = 0; s < d.sample.length; s++) {
    const i = d.sample[s] * 3
    // A rim point's neighbourhood is one-sided, so its normal leans.
    if (pb[d.sample[s]]) continue
    const x = m0 * p[i] + m1 * p[i + 1] + m2 * p[i + 2] + m3
    const y = m4 * p[i] + m5 * p[i + 1] + m6 * p[i + 2] + m7
    const z = m8 * p[i] + m9 * p[i + 1] + m10 * p[i + 2] + m11
    let j = d.match[s]
    if (j < 0 ? d.lead[s] - limitMm < d.travelled : d.lead[s] < d.travelled) {
      j = tree.nearestTwo(x, y, z, reach * reach)
      d.match[s] = j
      // With nothing near, nothing comes within the limit before the difference is travelled.
      d.lead[s] = d.travelled + (j < 0 ? reach : (Math.sqrt(tree.secondDistance2) - Math.sqrt(tree.lastDistance2)) / 2)
    }
    if (j < 0 || qb[j]) continue
    const k = j * 3
    const nx = m0 * pn[i] + m1 * pn[i + 1] + m2 * pn[i + 2]
    const ny = m4 * pn[i] + m5 * pn[i + 1] + m6 * pn[i + 2]
    const nz = m8 * pn[i] + m9 * pn[i + 1] + m10 * pn[i + 2]
    if (nx * qn[k] + ny * qn[k + 1] + nz * qn[k + 2] < minCosine) continue
    const dx = x - q[k],
      dy = y - q[k + 1],
      dz = z - q[k + 2]
    const apart2 = dx * dx + dy * dy + dz * dz
    if (apart2 > limit2) continue
    let ux = nx + qn[k],
      uy = ny + qn[k + 1],
      uz = nz + qn[k + 2]
    const l = Math.sqrt(ux * ux + uy * uy + uz * uz)
    ux /= l
    uy /= l
    uz /= l
    const mx = (x + q[k]) / 2,
      my = (y + q[k + 1]) / 2,
      mz = (z + q[k + 2]) / 2
    out[at] = b0 * mx + b1 * my + b2 * mz + b3 - cx
    out[at + 1] = b4 * mx + b5 * my + b6 * mz + b7 - cy
    out[at + 2] = b8 * mx + b9 * my + b10 * mz + b11 - cz
    out[at + 3] = b0 * ux + b1 * uy + b2 * uz
    out[at + 4] = b4 * ux + b5 * uy + b6 * uz
    out[at + 5] = b8 * ux + b9 * uy + b10 * uz
    out[at + ALONG] = ux * dx + uy * dy + uz * dz
    out[at + APART2] = apart2
    at += PAIR_SIZE
  }
  d.count = at / PAIR_SIZE
}
