import { median } from '../../linear/samples'
import { compose, invertRigid, transformPoint, type Motion } from '../../linear/rigid'
import { alongFreedom, speedAlong } from '../freedom'
import type { Slide } from '../freedom'
import type { FreeMotion } from '../slippage'
import { MIN_MET, meetTones, type Toned } from './meet'

/** Two takes that both have colours, by number. */
export type ColouredPair = readonly [number, number]

/** What tones say of where a pair lies: slopes along the surface, in the common frame, and what each weighs. */
export interface ToneRows {
  readonly a: number
  readonly b: number
  readonly points: Float32Array
  readonly slopes: Float32Array
  readonly weight: number
}

const PASSES = 2
const STEPS = 14
/** Tones of neighbouring places hang together: so many count as one reading. */
const CORRELATED = 6

/**
 * Along what the shapes leave free, takes are moved to where their tones agree best: Gauss–Newton on the differences of
 * tone, each carried along the surface by its slope, with an exposure of its own for each pair (the photometric part of
 * Park, Zhou, Koltun 2017, "Colored Point Cloud Registration Revisited", ICCV; the geometric part holds the rest better
 * than colours could). What the shapes hold is not touched.
 * @param takes by number; null for takes without colours
 */
export function slideToColours(
  modes: readonly Slide[],
  motions: readonly Motion[],
  takes: readonly (Toned | null)[],
  pairs: readonly ColouredPair[],
): readonly Motion[] {
  let out = motions
  const loose = modes.filter((m) => !m.heldByShape)
  for (let pass = 0; pass < PASSES; pass++)
    for (const mode of loose) {
      const crossing = pairs.filter(([a, b]) => mode.movers.includes(a) !== mode.movers.includes(b))
      if (crossing.length > 0) out = along(mode, out, takes, crossing)
    }
  return out
}

function along(
  mode: Slide,
  start: readonly Motion[],
  takes: readonly (Toned | null)[],
  pairs: readonly ColouredPair[],
): readonly Motion[] {
  const by = (amount: number): readonly Motion[] => {
    const step = alongFreedom(mode.motion, amount)
    return start.map((m, i) => (mode.movers.includes(i) ? compose(step, m) : m))
  }
  const voxelMm = takes[pairs[0][0]]!.outline.voxelMm
  let amount = 0
  for (let step = 0; step < STEPS; step++) {
    const { toward, stiff, fastest } = slope(mode.motion, mode.movers, by(amount), takes, pairs)
    if (!(stiff > 0)) break
    // Slopes hold for about a voxel.
    const most = voxelMm / Math.max(fastest, 1e-9)
    const move = Math.max(-most, Math.min(most, toward / stiff))
    amount += move
    if (Math.abs(move) < 1e-3 * most) break
  }
  // What is called free may still be held a little: of the way there only so far as the surfaces stay together.
  const scales = misfit(start, takes, pairs, null)
  const cost = (share: number): number => misfit(by(share * amount), takes, pairs, scales).cost
  const share = goldenLeast(cost, 0, 1)
  return cost(share) < cost(0) ? by(share * amount) : start
}

interface Misfit {
  readonly cost: number
  readonly toneScatter: number
  readonly apartScatterMm: number
}

/** How badly tones and surfaces of the pairs fit together, robustly, each in its own scatter at the start. */
function misfit(
  motions: readonly Motion[],
  takes: readonly (Toned | null)[],
  pairs: readonly ColouredPair[],
  scales: Misfit | null,
): Misfit {
  const tones: number[] = [],
    apart: number[] = []
  for (const [a, b] of pairs) {
    const met = meetTones(takes[a]!, takes[b]!, compose(invertRigid(motions[b]), motions[a]), 1)
    if (met.count < MIN_MET) continue
    const r = new Float64Array(met.count)
    for (let i = 0; i < met.count; i++) r[i] = met.own[i] - met.other[i]
    const exposure = median(r.slice())
    for (let i = 0; i < met.count; i++) {
      tones.push(Math.abs(r[i] - exposure))
      apart.push(Math.abs(met.apartMm[i]))
    }
  }
  if (tones.length === 0) return { cost: Infinity, toneScatter: 1, apartScatterMm: 1 }
  const toneScatter = scales?.toneScatter ?? Math.max(1e-4, 1.4826 * median(Float64Array.from(tones))),
    apartScatterMm = scales?.apartScatterMm ?? Math.max(1e-6, 1.4826 * median(Float64Array.from(apart)))
  const robust = (values: readonly number[], scatter: number): number =>
    values.reduce((s, v) => s + Math.min(v / scatter, ROBUST) ** 2, 0) / values.length
  return { cost: robust(tones, toneScatter) + robust(apart, apartScatterMm), toneScatter, apartScatterMm }
}

const ROBUST = 4.685
const GOLDEN = (Math.sqrt(5) - 1) / 2
const NARROWINGS = 14

/** Where a function of one hollow is least (Kiefer 1953). */
function goldenLeast(f: (x: number) => number, low: number, high: number): number {
  let a = high - GOLDEN * (high - low),
    b = low + GOLDEN * (high - low),
    fa = f(a),
    fb = f(b)
  for (let i = 0; i < NARROWINGS; i++) {
    if (fa <= fb) {
      high = b
      b = a
      fb = fa
      a = high - GOLDEN * (high - low)
      fa = f(a)
    } else {
      low = a
      a = b
      fa = fb
      b = low + GOLDEN * (high - low)
      fb = f(b)
    }
  }
  return (low + high) / 2
}

/** Pull and stiffness of the tones along one freedom. */
function slope(
  freedom: FreeMotion,
  movers: readonly number[],
  motions: readonly Motion[],
  takes: readonly (Toned | null)[],
  pairs: readonly ColouredPair[],
): { toward: number; stiff: number; fastest: number } {
  let toward = 0,
    stiff = 0,
    fastest = 0
  for (const [from, to] of pairs.flatMap(([a, b]): ColouredPair[] => [
    [a, b],
    [b, a],
  ])) {
    const met = meetTones(takes[from]!, takes[to]!, compose(invertRigid(motions[to]), motions[from]), 1)
    if (met.count < MIN_MET) continue
    const sign = movers.includes(from) ? 1 : -1
    const m = motions[to]
    const d = new Float64Array(met.count),
      r = new Float64Array(met.count)
    for (let i = 0; i < met.count; i++) {
      const c = i * 3
      const v = speedAlong(freedom, transformPoint(m, met.at[c], met.at[c + 1], met.at[c + 2]))
      const [gx, gy, gz] = turned(m, met.slope, c)
      d[i] = sign * (gx * v[0] + gy * v[1] + gz * v[2])
      r[i] = met.own[i] - met.other[i]
      fastest = Math.max(fastest, Math.hypot(...v))
    }
    const exposure = median(r.slice())
    for (let i = 0; i < met.count; i++) r[i] -= exposure
    const tukey = 4.685 * Math.max(1e-4, 1.4826 * median(r.map(Math.abs)))
    let meanD = 0,
      weights = 0
    const w = new Float64Array(met.count)
    for (let i = 0; i < met.count; i++) {
      const u = r[i] / tukey
      w[i] = Math.abs(u) < 1 ? (1 - u * u) ** 2 : 0
      meanD += w[i] * d[i]
      weights += w[i]
    }
    // The exposure takes what all places say alike.
    for (let i = 0; i < met.count; i++) {
      const own = d[i] - meanD / Math.max(weights, 1e-9)
      toward += (w[i] * own * r[i]) / tukey ** 2
      stiff += (w[i] * own * own) / tukey ** 2
    }
  }
  return { toward, stiff, fastest }
}

/** What the tones of these pairs say, for the eigen-analysis of slides. */
export function toneRows(
  motions: readonly Motion[],
  takes: readonly (Toned | null)[],
  pairs: readonly ColouredPair[],
): ToneRows[] {
  return pairs.flatMap(([a, b]) => {
    const met = meetTones(takes[a]!, takes[b]!, compose(invertRigid(motions[b]), motions[a]), 1)
    if (met.count < MIN_MET) return []
    const points = new Float32Array(met.count * 3),
      slopes = new Float32Array(met.count * 3),
      r = new Float64Array(met.count)
    for (let i = 0; i < met.count; i++) {
      const c = i * 3
      points.set(transformPoint(motions[b], met.at[c], met.at[c + 1], met.at[c + 2]), c)
      slopes.set(turned(motions[b], met.slope, c), c)
      r[i] = met.own[i] - met.other[i]
    }
    const exposure = median(r.slice())
    const scatter = 1.4826 * median(r.map((v) => Math.abs(v - exposure)))
    return [{ a, b, points, slopes, weight: 1 / (CORRELATED * Math.max(scatter, 1e-3) ** 2) }]
  })
}

const turned = (m: Motion, v: Float64Array, at: number): [number, number, number] => {
  const [x, y, z] = [v[at], v[at + 1], v[at + 2]]
  return [m[0] * x + m[1] * y + m[2] * z, m[4] * x + m[5] * y + m[6] * z, m[8] * x + m[9] * y + m[10] * z]
}
