import { areaOfPoints } from '../cloud/area'
import { invertRigid, type Motion } from '../linear/rigid'
import type { OrientedCloud } from './oriented-cloud'
import { evenSample } from './oriented-cloud'

export interface Overlap {
  /** Share of the smaller take's surface that the other take has too, 0–1. */
  readonly share: number
  /** Area of that common surface, mm². */
  readonly areaMm2: number
  /** Plane-to-point residual in the overlap, mm. */
  readonly rmsMm: number
  readonly p95Mm: number
  /** Scatter of the two takes as their points show it, joined, mm: what the residual should be. */
  readonly expectedMm: number
  readonly histogram: Histogram
}

/** How far the surfaces stand apart, signed: positive where the source lies outside the target. */
export interface Histogram {
  readonly fromMm: number
  readonly stepMm: number
  readonly counts: readonly number[]
}

const BINS = 25

/**
 * Overlap by the contract: share of the smaller take's area whose nearest point of the other lies within 3σ + spacing
 * with normals within 45°. Area is counted on an even sample, one point per cell.
 */
export function measureOverlap(source: OrientedCloud, target: OrientedCloud, motion: Motion): Overlap {
  const sigma = Math.max(source.features.noiseMm, target.features.noiseMm)
  const reach = 3 * sigma + Math.max(source.features.spacingMm, target.features.spacingMm)
  const share = 1 / 150
  const a = oneWay(source, target, motion, reach, share)
  const b = oneWay(target, source, invertRigid(motion), reach, share)
  const smaller = a.sampled <= b.sampled ? a : b
  // Seen from the target the sign turns.
  const signed = new Float64Array(a.residuals.length + b.residuals.length)
  signed.set(a.residuals)
  for (let i = 0; i < b.residuals.length; i++) signed[a.residuals.length + i] = -b.residuals[i]
  const residuals = signed.map(Math.abs).sort()
  const expectedMm = Math.hypot(source.features.noiseMm, target.features.noiseMm)
  let sum = 0
  for (const r of residuals) sum += r * r
  const cell = (a.sampled <= b.sampled ? source : target).sizeMm * share
  return {
    share: smaller.sampled > 0 ? smaller.hits / smaller.sampled : 0,
    areaMm2: areaOfPoints(smaller.hits, cell),
    rmsMm: residuals.length > 0 ? Math.sqrt(sum / residuals.length) : 0,
    p95Mm: residuals.length > 0 ? residuals[Math.min(residuals.length - 1, Math.floor(residuals.length * 0.95))] : 0,
    expectedMm,
    histogram: histogramOf(signed, 3.2 * Math.max(expectedMm, reach * 1e-3)),
  }
}

function oneWay(
  from: OrientedCloud,
  to: OrientedCloud,
  motion: Motion,
  reach: number,
  share: number,
): { sampled: number; hits: number; residuals: number[] } {
  const sample = evenSample(from, share)
  const p = from.positions,
    pn = from.features.normals
  const q = to.positions,
    qn = to.features.normals
  const [m0, m1, m2, m3, m4, m5, m6, m7, m8, m9, m10, m11] = motion as unknown as number[]
  const residuals: number[] = []
  for (const s of sample) {
    const i = s * 3
    const x = m0 * p[i] + m1 * p[i + 1] + m2 * p[i + 2] + m3
    const y = m4 * p[i] + m5 * p[i + 1] + m6 * p[i + 2] + m7
    const z = m8 * p[i] + m9 * p[i + 1] + m10 * p[i + 2] + m11
    const j = to.tree.nearest(x, y, z, reach * reach)
    if (j < 0) continue
    const k = j * 3
    const nx = m0 * pn[i] + m1 * pn[i + 1] + m2 * pn[i + 2]
    const ny = m4 * pn[i] + m5 * pn[i + 1] + m6 * pn[i + 2]
    const nz = m8 * pn[i] + m9 * pn[i + 1] + m10 * pn[i + 2]
    if (nx * qn[k] + ny * qn[k + 1] + nz * qn[k + 2] < Math.SQRT1_2) continue
    // Plane distance to the matched point; the mean of both normals cancels curvature to second order.
    const ux = nx + qn[k],
      uy = ny + qn[k + 1],
      uz = nz + qn[k + 2]
    residuals.push(
      (ux * (x - q[k]) + uy * (y - q[k + 1]) + uz * (z - q[k + 2])) / Math.sqrt(ux * ux + uy * uy + uz * uz),
    )
  }
  return { sampled: sample.length, hits: residuals.length, residuals }
}

/** Bins of equal width over ± `halfMm`; what lies beyond goes into the last ones. */
export function histogramOf(signed: ArrayLike<number>, halfMm: number): Histogram {
  const counts = new Array<number>(BINS).fill(0)
  const stepMm = (2 * halfMm) / BINS
  for (let i = 0; i < signed.length; i++)
    counts[Math.max(0, Math.min(BINS - 1, Math.floor((signed[i] + halfMm) / stepMm)))]++
  return { fromMm: -halfMm, stepMm, counts }
}
