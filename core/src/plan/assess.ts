import { findLookAlikes, type LookAlikes } from '../align/poses/look-alikes'
import {
  motionOf,
  slippageModes,
  stiffness,
  surfaceScale,
  type FreeMotion,
  type Mode,
  type NoiseModel,
  type SurfaceSamples,
  type SurfaceScale,
} from '../align/slippage'
import { symmetricEigen } from '../linear/symmetric'
import type { Brief } from '../brief/brief'
import { RANK_WEIGHT } from '../brief/requirements'
import type { TakeCoverage } from './coverage'
import { rangeNoiseMm, spacingAtMm, type DeviceProfile } from './device-profile'
import type { Facets } from './facets'

/* What the planned takes come to, all together: how much is seen, and whether the takes will hold to each other. */

/** Classes of a facet, as painted. */
export const SEEN = { well: 0, thinly: 1, open: 2, outOfReach: 3 } as const

export interface Shares {
  readonly well: number
  readonly thinly: number
  /** Could be seen and is not planned. */
  readonly open: number
  readonly outOfReach: number
}

export interface Seen {
  readonly classes: Uint8Array
  /** Shares of the whole surface. */
  readonly shares: Shares
  /** Of what matters by the brief's areas: seen by one view at least, over all that can be reached; 0–1. */
  readonly matters: number
  /** The same for what must hold alone; null when no area must. */
  readonly must: number | null
  readonly openMm2: number
  /** Share of the surface each take sees. */
  readonly perTake: readonly number[]
  /** Share that no other take sees. */
  readonly aloneByTake: readonly number[]
  /** Per area of the brief: its size, and what part of it each take and all together see. */
  readonly areas: readonly { readonly areaMm2: number; readonly seen: number; readonly perTake: readonly number[] }[]
}

export interface FacetAreas {
  /** Index of the brief's area each facet lies in, −1 for none; the last area that holds it decides. */
  readonly area: Int16Array
  /** Its weight; 1 where no area is. */
  readonly weights: Float32Array
}

/** Facets that fewer than this share of all directions reach lie inside a hollow. */
export const INSIDE_SHARE = 0.16

/** Which facet lies in which area of the brief. */
export function facetAreas(
  brief: Pick<Brief, 'areas'>,
  facets: Facets,
  openness: Uint8Array,
  directions: number,
): FacetAreas {
  const weights = new Float32Array(facets.count).fill(1)
  const of = new Int16Array(facets.count).fill(-1)
  let top = -Infinity
  for (let i = 2; i < facets.centres.length; i += 3) top = Math.max(top, facets.centres[i])
  brief.areas.forEach((area, a) => {
    for (let i = 0; i < facets.count; i++) {
      const x = facets.centres[i * 3],
        y = facets.centres[i * 3 + 1],
        z = facets.centres[i * 3 + 2],
        nz = facets.normals[i * 3 + 2]
      const inside = openness[i] < directions * INSIDE_SHARE
      const within =
        area.place === 'whole' ||
        (area.place === 'top' && nz > 0.6 && !inside) ||
        (area.place === 'underside' && nz < -0.6) ||
        (area.place === 'sides' && Math.abs(nz) <= 0.6 && !inside) ||
        (area.place === 'inside' && inside) ||
        (area.place === 'band' && z >= (area.fromMm ?? 0) && z <= (area.toMm ?? top)) ||
        (area.place === 'painted' &&
          (area.strokes ?? []).some(([a, b, c, r]) => (x - a) ** 2 + (y - b) ** 2 + (z - c) ** 2 <= r * r))
      if (!within) continue
      of[i] = a
      weights[i] = RANK_WEIGHT[area.rank]
    }
  })
  return { area: of, weights }
}

/** What planned takes will see of a stand-in: shares of its surface, 0 to 1. */
export function assessSeen(
  facets: Facets,
  takes: readonly TakeCoverage[],
  openness: Uint8Array,
  { area, weights }: FacetAreas,
  areaCount: number,
): Seen {
  const n = facets.count
  const classes = new Uint8Array(n)
  const areas = [0, 0, 0, 0]
  const perTake = takes.map(() => 0),
    alone = takes.map(() => 0)
  const named = Array.from({ length: areaCount }, () => ({ total: 0, seen: 0, perTake: takes.map(() => 0) }))
  let wanted = 0,
    got = 0,
    must = 0,
    mustGot = 0
  for (let i = 0; i < n; i++) {
    let views = 0,
      well = 0,
      only = -1
    for (let t = 0; t < takes.length; t++) {
      const v = takes[t].views[i]
      if (v === 0) continue
      views += v
      well += takes[t].wellViews[i]
      perTake[t] += facets.areas[i]
      if (area[i] >= 0) named[area[i]].perTake[t] += facets.areas[i]
      only = only === -1 ? t : -2
    }
    if (only >= 0) alone[only] += facets.areas[i]
    if (area[i] >= 0) {
      named[area[i]].total += facets.areas[i]
      if (views > 0) named[area[i]].seen += facets.areas[i]
    }
    const reach = openness[i] > 0 || views > 0
    const c = (classes[i] = well >= 2 ? SEEN.well : views > 0 ? SEEN.thinly : reach ? SEEN.open : SEEN.outOfReach)
    areas[c] += facets.areas[i]
    // What nothing can reach is bounded, not counted.
    if (!reach) continue
    wanted += weights[i] * facets.areas[i]
    if (views > 0) got += weights[i] * facets.areas[i]
    if (weights[i] === 1) {
      must += facets.areas[i]
      if (views > 0) mustGot += facets.areas[i]
    }
  }
  const total = facets.totalAreaMm2 || 1
  return {
    classes,
    shares: {
      well: areas[0] / total,
      thinly: areas[1] / total,
      open: areas[2] / total,
      outOfReach: areas[3] / total,
    },
    matters: wanted > 0 ? got / wanted : 1,
    must: must > 0 ? mustGot / must : null,
    openMm2: areas[2],
    perTake: perTake.map((a) => a / total),
    aloneByTake: alone.map((a) => a / total),
    areas: named.map((v) => ({
      areaMm2: v.total,
      seen: v.seen / (v.total || 1),
      perTake: v.perTake.map((a) => a / (v.total || 1)),
    })),
  }
}

/** The facets a test keeps, as oriented samples; at most `most` of them, evenly. */
export function samplesOf(facets: Facets, keep: (i: number) => boolean, most = 4000): SurfaceSamples {
  const index: number[] = []
  for (let i = 0; i < facets.count; i++) if (keep(i)) index.push(i)
  const n = Math.min(index.length, most)
  const points = new Float32Array(n * 3),
    normals = new Float32Array(n * 3),
    areas = new Float64Array(n)
  let kept = 0,
    all = 0
  for (let k = 0; k < n; k++) {
    const i = index[Math.floor(((k + 0.5) * index.length) / n)]
    points.set(facets.centres.subarray(i * 3, i * 3 + 3), k * 3)
    normals.set(facets.normals.subarray(i * 3, i * 3 + 3), k * 3)
    areas[k] = facets.areas[i]!
    kept += areas[k]
  }
  if (index.length > n) {
    for (const i of index) all += facets.areas[i]
    for (let k = 0; k < n; k++) areas[k] *= all / kept
  }
  return { points, normals, areas }
}

/**
 * The same at the middles of each facet's edges: three samples a facet integrate squares of displacements over flat
 * facets exactly (Strang and Fix 1973), so that what is held does not depend on how finely the surface is cut.
 */
export function midpointsOf(facets: Facets, keep: (i: number) => boolean, most = 4000): SurfaceSamples {
  const index: number[] = []
  let all = 0,
    kept = 0
  for (let i = 0; i < facets.count; i++) {
    if (!keep(i)) continue
    index.push(i)
    all += facets.areas[i]
  }
  const n = Math.min(index.length, most)
  const points = new Float32Array(n * 9),
    normals = new Float32Array(n * 9),
    areas = new Float64Array(n * 3)
  const { corners: p, cornerNormals: q } = facets
  for (let k = 0; k < n; k++) {
    const i = index[Math.floor(((k + 0.5) * index.length) / n)]
    kept += facets.areas[i]
    for (let e = 0; e < 3; e++) {
      const a = i * 9 + e * 3,
        b = i * 9 + ((e + 1) % 3) * 3,
        o = k * 9 + e * 3
      let length = 0
      for (let c = 0; c < 3; c++) {
        points[o + c] = (p[a + c] + p[b + c]) / 2
        normals[o + c] = q[a + c] + q[b + c]
        length += normals[o + c] ** 2
      }
      length = Math.sqrt(length) || 1
      for (let c = 0; c < 3; c++) normals[o + c] /= length
      areas[k * 3 + e] = facets.areas[i] / 3
    }
  }
  if (index.length > n) for (let k = 0; k < areas.length; k++) areas[k] *= all / kept
  return { points, normals, areas }
}

/**
 * Independent samples are about four spacings apart: what lies closer is smoothed together by the device. Common
 * practice, to be set against real repeats.
 */
const CORRELATION_SPACINGS = 4

/** Noise and spacing a device gives at a distance, mm. */
export function noiseModel(device: DeviceProfile, distanceMm: number): NoiseModel {
  return {
    noiseMm: rangeNoiseMm(device, distanceMm),
    correlationMm: CORRELATION_SPACINGS * spacingAtMm(device, distanceMm),
  }
}

export interface PairReport {
  readonly a: number
  readonly b: number
  readonly sharedMm2: number
  /** Of the smaller take's surface. */
  readonly overlap: number
  /** The least held motion first. */
  readonly modes: readonly Mode[]
  readonly freeCount: number
  readonly playMm: number
}

/** Least overlap of two takes (contract: under 20 % is too small). */
export const MIN_OVERLAP = 0.2
/** Pairs that share less than this are no pair at all. */
const SHARED_LEAST = 0.01

export interface JoinForecast {
  readonly pairs: readonly PairReport[]
  /** Motions the takes keep against each other when all pairs are held together; the freest first. */
  readonly slides: readonly { readonly motion: FreeMotion; readonly between: readonly [number, number] }[]
  /** Largest play of the joined set, mm; Infinity where something is free. */
  readonly playMm: number
}

/** The surface two takes share. */
interface Shared {
  readonly samples: SurfaceSamples
  readonly areaMm2: number
  readonly stiffness: Float64Array
}
/** What so many assessments did not use is let go: each value of a slider makes pairs of its own. */
const KEPT_ROUNDS = 4

/** Says beforehand how takes will hold to each other, from the surface both will see. */
export class JoinForecaster {
  readonly scale: SurfaceScale
  private readonly shared = new Map<string, Shared & { used: number }>()
  /** How often it was assessed. */
  private round = 0

  constructor(private readonly facets: Facets) {
    this.scale = surfaceScale(midpointsOf(facets, () => true))
  }

  share(a: TakeCoverage, b: TakeCoverage, key?: string): Shared {
    const old = key === undefined ? undefined : this.shared.get(key)
    if (old) {
      old.used = this.round
      return old
    }
    const samples = midpointsOf(this.facets, (i) => a.views[i] > 0 && b.views[i] > 0)
    const made = {
      samples,
      areaMm2: samples.areas.reduce((s, v) => s + v, 0),
      stiffness: stiffness(samples, this.scale),
    }
    if (key !== undefined) this.shared.set(key, { ...made, used: this.round })
    return made
  }

  /** How many pairs are remembered. */
  get remembered(): number {
    return this.shared.size
  }

  assess(
    takes: readonly TakeCoverage[],
    noise: NoiseModel,
    perTake: readonly number[],
    keys?: readonly string[],
  ): JoinForecast {
    this.round++
    for (const [key, { used }] of this.shared) if (used < this.round - KEPT_ROUNDS) this.shared.delete(key)
    const n = takes.length
    const pairs: PairReport[] = []
    const size = 6 * Math.max(0, n - 1)
    const k = new Float64Array(size * size)
    const held = takes.map(() => 0)
    for (let a = 0; a < n; a++) {
      for (let b = a + 1; b < n; b++) {
        const { samples, areaMm2, stiffness: s } = this.share(takes[a], takes[b], keys && `${keys[a]} ${keys[b]}`)
        if (areaMm2 < SHARED_LEAST * this.facets.totalAreaMm2) {
          pairs.push({ a, b, sharedMm2: areaMm2, overlap: 0, modes: [], freeCount: 6, playMm: Infinity })
          continue
        }
        const modes = slippageModes(samples, this.scale, noise)
        const smaller = Math.min(perTake[a], perTake[b]) * this.facets.totalAreaMm2
        pairs.push({
          a,
          b,
          sharedMm2: areaMm2,
          overlap: areaMm2 / smaller,
          modes,
          freeCount: modes.filter((m) => m.motion.free).length,
          playMm: Math.max(...modes.map((m) => m.motion.playMm)),
        })
        held[a] = Math.max(held[a], areaMm2)
        held[b] = Math.max(held[b], areaMm2)
        addPair(k, size, a, b, s)
      }
    }
    if (n < 2) return { pairs, slides: [], playMm: 0 }
    return {
      pairs,
      ...this.joint(k, size, n, takes, noise, Math.min(...held.filter((h) => h > 0), this.facets.totalAreaMm2)),
    }
  }

  /**
   * Eigen-analysis of all takes at once, the first held still; each mode told as the motion of the two takes it moves
   * apart the most.
   */
  private joint(
    k: Float64Array,
    size: number,
    n: number,
    takes: readonly TakeCoverage[],
    noise: NoiseModel,
    reference: number,
  ): Pick<JoinForecast, 'slides' | 'playMm'> {
    const { values, vectors } = symmetricEigen(k, size)
    const slides: { motion: FreeMotion; between: readonly [number, number] }[] = []
    let playMm = 0
    values.forEach((value, m) => {
      const u = vectors[m]
      const part = (t: number): Float64Array => (t === 0 ? new Float64Array(6) : u.subarray((t - 1) * 6, t * 6))
      let most = 0,
        between: readonly [number, number] = [0, 1],
        difference = new Float64Array(6)
      for (let a = 0; a < n; a++) {
        for (let b = a + 1; b < n; b++) {
          const d = part(b).map((v, i) => v - part(a)[i])
          const l = d.reduce((s, v) => s + v * v, 0)
          if (l > most) [most, between, difference] = [l, [a, b], Float64Array.from(d)]
        }
      }
      if (most === 0) return
      const unit = difference.map((v) => v / Math.sqrt(most))
      const samples = this.share(takes[between[0]], takes[between[1]]).samples
      const motion = motionOf(unit, value / most, reference, samples, this.scale, noise)
      if (motion.free) slides.push({ motion, between })
      playMm = Math.max(playMm, motion.playMm)
    })
    return { slides, playMm }
  }
}

function addPair(k: Float64Array, size: number, a: number, b: number, s: Float64Array): void {
  const put = (p: number, q: number, sign: number): void => {
    if (p === 0 || q === 0) return
    for (let r = 0; r < 6; r++)
      for (let c = 0; c < 6; c++) k[((p - 1) * 6 + r) * size + (q - 1) * 6 + c] += sign * s[r * 6 + c]
  }
  put(a, a, 1)
  put(b, b, 1)
  put(a, b, -1)
  put(b, a, -1)
}

/** Other poses in which take b fits to take a as well, by what they share. */
export function pairLookAlikes(facets: Facets, a: TakeCoverage, b: TakeCoverage, fitMm: number): LookAlikes {
  return findLookAlikes(
    samplesOf(facets, (i) => a.views[i] > 0 && b.views[i] > 0),
    samplesOf(facets, (i) => a.views[i] > 0, 12_000),
    fitMm,
  )
}
