import type { Slide } from '../freedom'
import { FREE_SHARE, motionShape, stiffness, surfaceScale, type SurfaceSamples, type SurfaceScale } from '../slippage'
import { symmetricEigen } from '../../linear/symmetric'
import { median } from '../../linear/samples'
import type { ToneRows } from '../colour/slide-to-colours'
import { patchesOf, type SharedSurface } from './shared-surface'

/** A pair of takes by number, and what they share. */
export interface JudgedPair {
  readonly a: number
  readonly b: number
  readonly shared: SharedSurface
}

/** A motion the joined set keeps: these takes move as one against those. */
export interface SlideReport {
  /** Weakest first, at most twelve. */
  readonly modes: readonly Slide[]
  readonly playMm: number
  /** Play of each pair held by its own shared surface alone, in the order of the pairs; Infinity where it slides. */
  readonly pairPlayMm: readonly number[]
  readonly pairFree: readonly number[]
  /** How many places count as one independent reading, by pair. */
  readonly inflation: readonly number[]
}

/** A place that is known to be the same on two takes, in the common frame. */
export interface HeldPlace {
  readonly a: number
  readonly b: number
  readonly at: readonly [number, number, number]
  readonly sigmaMm: number
}

const MAX_MODES = 12
/** Squared displacement at the marks, of a motion of 1 mm, from which on they hold it. */
const MIN_MARKED = 0.02
/** Information of the tones on a motion of 1 mm RMS, 1/mm², from which on they hold it: to a millimetre. */
const MIN_TONED = 1

/**
 * Eigen-analysis of all pairs at once, with no take held: the motions of 1 mm RMS that part the shared surfaces the
 * least. Stiffness comes from the two takes' own normals (their noise is independent); each pair weighs by its measured
 * scatter, and as many places as the distances hang together over count as one.
 * Sources: as in slippage.ts; correlated readings by the variance of patch means against that of single places.
 */
export function findSlides(
  pairs: readonly JudgedPair[],
  takes: number,
  cellMm: number,
  marks: readonly HeldPlace[] = [],
  tones: readonly ToneRows[] = [],
): SlideReport {
  const scale = surfaceScale(samplesOf(pairs))
  const size = 6 * takes
  const area = new Float64Array(size * size),
    information = new Float64Array(size * size)
  const inflation = pairs.map((p) => inflationOf(p.shared, cellMm))
  const held = new Float64Array(size * size),
    markInformation = new Float64Array(size * size)
  const pairPlayMm: number[] = [],
    pairFree: number[] = []
  pairs.forEach(({ a, b, shared }, i) => {
    const samples = surfaceSamples(shared)
    const k = stiffness(samples, scale, shared.others)
    const variance = Math.max(shared.scatterMm, 0.3 * shared.expectedMm, 1e-6) ** 2 * inflation[i]
    const weight = 1 / (shared.cellMm2 * variance)
    addPair(area, size, a, b, k, 1)
    addPair(information, size, a, b, k, weight)
    const own = ownModes(k, samples, scale, shared.cellMm2 * shared.apartMm.length, weight)
    pairPlayMm.push(own.playMm)
    pairFree.push(own.free)
  })
  // A mark holds its place in all three directions, as three little faces at right angles would.
  for (const m of marks) {
    const points = Float32Array.from([...m.at, ...m.at, ...m.at])
    const k = stiffness(
      { points, normals: Float32Array.of(1, 0, 0, 0, 1, 0, 0, 0, 1), areas: Float64Array.of(1, 1, 1) },
      scale,
    )
    addPair(information, size, m.a, m.b, k, 1 / m.sigmaMm ** 2)
    addPair(held, size, m.a, m.b, k, 1)
    addPair(markInformation, size, m.a, m.b, k, 1 / m.sigmaMm ** 2)
  }
  const toneInformation = new Float64Array(size * size)
  for (const t of tones) {
    const k = stiffness(
      { points: t.points, normals: t.slopes, areas: new Float64Array(t.points.length / 3).fill(1) },
      scale,
    )
    addPair(information, size, t.a, t.b, k, t.weight)
    addPair(toneInformation, size, t.a, t.b, k, t.weight)
  }
  if (pairs.length === 0) return { modes: [], playMm: Infinity, pairPlayMm, pairFree, inflation }
  // All takes alike is no motion: it is held as firmly as anything can be.
  const weighed = information.slice()
  let trace = 0
  for (let r = 0; r < size; r++) trace += information[r * size + r]
  for (let s = 0; s < takes; s++)
    for (let t = 0; t < takes; t++)
      for (let c = 0; c < 6; c++) information[(s * 6 + c) * size + t * 6 + c] += trace / takes
  const { vectors } = symmetricEigen(information, size)
  const modes: Slide[] = []
  let playMm = 0
  for (const u of vectors.slice(0, Math.min(MAX_MODES, size - 6))) {
    const split = splitOf(u, takes)
    if (!split) continue
    const holds = quadratic(area, u, size) / split.square,
      marked = quadratic(held, u, size) / split.square,
      info = quadratic(weighed, u, size) / split.square
    const across = pairs.filter((p) => split.movers.includes(p.a) !== split.movers.includes(p.b))
    const sharedMm2 = across.reduce((s, p) => s + p.shared.cellMm2 * p.shared.apartMm.length, 0)
    const { farMm, ...shape } = motionShape(split.difference, samplesOf(across.length > 0 ? across : pairs), scale)
    // What only marks hold is not free, but known no better than they are.
    const slips = holds < FREE_SHARE * sharedMm2 || sharedMm2 === 0
    const toned = quadratic(toneInformation, u, size) / split.square
    const free = slips && marked < MIN_MARKED && toned < MIN_TONED
    // Where shape says nothing, what noise makes of its nothing must not be taken from the marks.
    const knows = slips ? quadratic(markInformation, u, size) / split.square + toned : info
    const play = free ? Infinity : farMm / Math.sqrt(Math.max(knows, 1e-30))
    playMm = Math.max(playMm, play)
    modes.push({
      motion: { ...shape, free, playMm: play },
      movers: split.movers,
      stayers: split.stayers,
      heldByShape: !slips,
    })
  }
  return { modes: modes.sort((p, q) => q.motion.playMm - p.motion.playMm), playMm, pairPlayMm, pairFree, inflation }
}

/** Shared surface as samples for slippage: places in mm, unit normals. */
export function surfaceSamples(s: SharedSurface): SurfaceSamples {
  return { points: s.points, normals: s.normals, areas: new Float64Array(s.apartMm.length).fill(s.cellMm2) }
}

function samplesOf(pairs: readonly JudgedPair[]): SurfaceSamples {
  const total = pairs.reduce((n, p) => n + p.shared.apartMm.length, 0)
  const points = new Float32Array(total * 3),
    normals = new Float32Array(total * 3),
    areas = new Float64Array(total)
  let at = 0
  for (const { shared } of pairs) {
    points.set(shared.points, at * 3)
    normals.set(shared.normals, at * 3)
    areas.fill(shared.cellMm2, at, at + shared.apartMm.length)
    at += shared.apartMm.length
  }
  return { points, normals, areas }
}

function ownModes(
  k: Float64Array,
  samples: SurfaceSamples,
  scale: SurfaceScale,
  sharedMm2: number,
  weight: number,
): { playMm: number; free: number } {
  const { values, vectors } = symmetricEigen(k, 6)
  let playMm = 0,
    free = 0
  values.forEach((held, i) => {
    if (held < FREE_SHARE * sharedMm2) {
      free++
      playMm = Infinity
    } else playMm = Math.max(playMm, motionShape(vectors[i], samples, scale).farMm / Math.sqrt(held * weight))
  })
  return { playMm, free }
}

/**
 * How many neighbouring places count as one reading: the variance of patch means over what independent places would
 * give.
 */
function inflationOf(s: SharedSurface, cellMm: number): number {
  const patches = patchesOf(s, cellMm)
  if (patches.length < 4) return 4
  const ratios = patches.map((p) => (p.meanMm / Math.max(p.errorMm, 1e-9)) ** 2)
  // Median of chi-square with one degree of freedom is 0.455.
  return Math.max(1, Math.min(60, median(Float64Array.from(ratios)) / 0.455))
}

function addPair(k: Float64Array, size: number, a: number, b: number, s: Float64Array, weight: number): void {
  for (const [p, q, sign] of [
    [a, a, 1],
    [b, b, 1],
    [a, b, -1],
    [b, a, -1],
  ] as const) {
    for (let r = 0; r < 6; r++)
      for (let c = 0; c < 6; c++) k[(p * 6 + r) * size + q * 6 + c] += sign * weight * s[r * 6 + c]
  }
}

const quadratic = (m: Float64Array, u: Float64Array, size: number): number => {
  let out = 0
  for (let r = 0; r < size; r++) for (let c = 0; c < size; c++) out += u[r] * m[r * size + c] * u[c]
  return out
}

/** Which takes a mode moves against which: the two it parts the most, and each other take with the nearer of them. */
function splitOf(
  u: Float64Array,
  takes: number,
): { movers: number[]; stayers: number[]; difference: Float64Array; square: number } | null {
  const part = (t: number): Float64Array => u.subarray(t * 6, t * 6 + 6)
  const gap = (s: number, t: number): number => part(s).reduce((sum, v, i) => sum + (v - part(t)[i]) ** 2, 0)
  let square = 0,
    ends: [number, number] = [0, 1]
  for (let s = 0; s < takes; s++)
    for (let t = s + 1; t < takes; t++)
      if (gap(s, t) > square) {
        square = gap(s, t)
        ends = [s, t]
      }
  if (!(square > 1e-12)) return null
  let stayers: number[] = [],
    movers: number[] = []
  for (let t = 0; t < takes; t++) (gap(t, ends[0]) <= gap(t, ends[1]) ? stayers : movers).push(t)
  let [still, moved] = ends
  if (movers.length > stayers.length) {
    ;[stayers, movers] = [movers, stayers]
    ;[still, moved] = [moved, still]
  }
  const difference = Float64Array.from(part(moved), (v, i) => (v - part(still)[i]) / Math.sqrt(square))
  return { movers, stayers, difference, square }
}
