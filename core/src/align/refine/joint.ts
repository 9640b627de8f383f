import { checkpoint, type RunContext } from '../../context'
import { GeometryError } from '../../errors'
import { solveCholesky } from '../../linear/cholesky'
import { compose, invertRigid, orthonormalise, transformPoint, type Motion } from '../../linear/rigid'
import { median } from '../../linear/samples'
import { ALONG, PAIR_SIZE } from '../least-squares/directed-pairs'
import { NormalEquations } from '../least-squares/normal-equations'
import { addPairs, planeRow, TUKEY } from '../least-squares/plane-row'
import { motionAbout } from '../least-squares/twist'
import type { OrientedCloud } from '../oriented-cloud'
import { PairGather, type Directed } from './joint-gather'

/** What moves as one: a take, or one frame of it. */
export interface Body {
  readonly cloud: OrientedCloud
  /** Body → common frame, as it is thought to be. */
  readonly start: Motion
  /** Unknowns that move it. */
  readonly moves: readonly Move[]
}

/**
 * One unknown's pull on a body: turn (3, rad) and shift (3, mm) for a unit of it, in the common frame about the
 * problem's centre.
 */
export interface Move {
  readonly unknown: number
  readonly twist: ArrayLike<number>
}

/** An unknown that is expected to stay near nothing: its standard deviation, mm or radians. */
export interface Prior {
  readonly unknown: number
  readonly sigma: number
}

export interface JointOptions {
  /** Farthest a pair may be apart in the first round, mm. */
  readonly reachMm: number
  /** Points sampled of all bodies together. @defaultValue 60000 */
  readonly samples?: number
  /** Pairs of bodies that may not be compared: frames of one take, whose own places are known. */
  readonly apart?: (a: number, b: number) => boolean
  readonly priors?: readonly Prior[]
  /** Places that are the same on two bodies, each in its own coordinates, mm. */
  readonly marks?: readonly {
    readonly a: number
    readonly b: number
    readonly atA: readonly [number, number, number]
    readonly atB: readonly [number, number, number]
    readonly sigmaMm: number
  }[]
  /** Unknowns that stay nothing: those of a fixed or locked group need not be among the unknowns at all. */
  readonly unknowns: number
  readonly maxRounds?: number
  /**
   * A point counts once, however many bodies it meets: its noise is the same in all of its pairs, and priors must not be
   * outvoted by it.
   */
  readonly pointsCountOnce?: boolean
  /** Shares of the sample, level by level. @defaultValue 0.12, 0.4, 1 */
  readonly levels?: readonly number[]
}

export interface JointMatch {
  /** Body → common frame. */
  readonly motions: readonly Motion[]
  /** What each unknown came to. */
  readonly unknowns: Float64Array
  /** Robust scatter over all pairs, mm. */
  readonly scatterMm: number
  readonly rounds: number
  readonly settled: boolean
}

const MAX_ROUNDS = 40
/** Matching ends when nothing moves by more than this share of the points' scatter. */
const SETTLED = 0.01
const SETTLED_COARSE = 0.3
/** Shares of the sample, level by level. */
const LEVELS = [0.12, 0.4, 1] as const
/** Least of the whole information that every unknown is held with, so that what nothing holds stays where it is. */
const DAMPING = 1e-5

/** The six unknowns of a body that moves freely, from number `first` on. */
export const freeMoves = (first: number): Move[] =>
  Array.from({ length: 6 }, (_, k) => ({
    unknown: first + k,
    twist: Float64Array.from({ length: 6 }, (_, c) => (c === k ? 1 : 0)),
  }))

/**
 * All bodies together: pairs of nearest points between all that overlap, sought anew each round, one least-squares step
 * for all unknowns (joint multi-view matching: Pulli 1999, "Multiview registration for large data sets", 3DIM, with
 * pairs not frozen; symmetric plane distance of Rusinkiewicz 2019, ACM TOG 38(4); Tukey's weights; each take weighs by
 * its noise). The gauge is free: no body is held, so that it does not matter which is called fixed.
 * Positions in mm. Nothing given is changed.
 * @throws NO_OVERLAP when no two bodies meet
 */
export async function matchJointly(
  bodies: readonly Body[],
  options: JointOptions,
  context: RunContext,
): Promise<JointMatch> {
  const n = bodies.length,
    unknowns = options.unknowns
  const motions: Motion[] = bodies.map((b) => Float64Array.from(b.start))
  const centre = centreOf(bodies)
  const state = new Float64Array(unknowns)
  const total = options.samples ?? 60_000
  const size = Math.max(...bodies.map((b) => b.cloud.sizeMm))
  const edges = overlappingEdges(bodies, motions, options)
  if (edges.length === 0)
    throw new GeometryError(
      'NO_OVERLAP',
      'The takes have no common surface near this start. Place them closer or pick three pairs.',
    )
  const gather = new PairGather(
    bodies.map((b) => b.cloud),
    edges,
    centre,
    size,
    total,
    context,
  )
  const { directed } = gather
  let limit = options.reachMm
  const floors = bodies.map((b) => 2.5 * b.cloud.features.spacingMm + 3 * b.cloud.features.noiseMm)
  const normal = new Float64Array(unknowns * unknowns),
    right = new Float64Array(unknowns)
  let rounds = 0,
    settled = false,
    scatter = Infinity
  const maxRounds = options.maxRounds ?? MAX_ROUNDS,
    levels = options.levels ?? LEVELS
  const sigma = Math.max(median(Float64Array.from(bodies, (b) => b.cloud.features.noiseMm)), size * 1e-7)
  const blocks = new Blocks(n)
  const reach = reachOf(bodies, unknowns, size)
  let level = 0
  const startLevel = (): void => gather.restart(samplesOf(bodies, total * levels[level]))
  startLevel()
  for (; rounds < maxRounds; rounds++) {
    checkpoint(context, rounds, maxRounds, `Matching ${n} together`)
    await gather.round(motions, (d) => Math.max(limit, floors[d.from], floors[d.to]))
    scatter = scatterOf(directed)
    blocks.fill(directed, bodies, scatter, options.pointsCountOnce ? onceOf(directed, bodies.length) : 1)
    blocks.addMarks(options.marks ?? [], motions, centre)
    blocks.mirror()
    assemble(blocks, bodies, normal, right, unknowns)
    const x = solveHeld(normal, right, unknowns, options.priors ?? [], state, reach)
    for (let u = 0; u < unknowns; u++) state[u] += x[u]
    for (let b = 0; b < n; b++) {
      const twist = twistOf(bodies[b].moves, x)
      motions[b] = orthonormalise(compose(motionAbout(twist, centre), motions[b]))
    }
    const moved = relativeMove(bodies, x, size)
    // More points only once pairs are no longer sought far away.
    const near = limit <= Math.max(2 * Math.max(...floors), 4.2 * scatter)
    limit = Math.max(0.6 * limit, 4 * scatter)
    if (!near || moved >= (level === levels.length - 1 ? SETTLED : SETTLED_COARSE) * sigma) continue
    if (level === levels.length - 1) {
      settled = true
      rounds++
      break
    }
    level++
    startLevel()
  }
  return { motions, unknowns: state, scatterMm: scatter, rounds, settled }
}

/** Normal equations of the motion of one body against another, for each two that met. */
class Blocks {
  /** By lower · bodies + higher. */
  readonly of = new Map<number, NormalEquations>()
  constructor(readonly bodies: number) {}

  fill(directed: readonly Directed[], bodies: readonly Body[], scatter: number, share: number): void {
    this.of.clear()
    for (const d of directed) {
      if (d.count === 0) continue
      const na = bodies[d.from].cloud.features.noiseMm,
        nb = bodies[d.to].cloud.features.noiseMm
      const variance = Math.max(na * na + nb * nb, 1e-12 * bodies[d.from].cloud.sizeMm ** 2)
      // Where surfaces stand apart more than noise explains, as at the start, the scatter itself is the yardstick.
      const yard = Math.max(Math.sqrt(variance), Math.min(scatter, d.scatterMm))
      // Signed so that moving the higher of the two along the normal lessens it.
      addPairs(this.between(d.from, d.to), d, d.from > d.to ? 1 : -1, TUKEY * yard, share / variance)
    }
  }

  /** Marks pull in all three directions. */
  addMarks(marks: NonNullable<JointOptions['marks']>, motions: readonly Motion[], c: readonly number[]): void {
    const row = new Float64Array(6)
    for (const m of marks) {
      const p = transformPoint(motions[m.a], ...m.atA),
        q = transformPoint(motions[m.b], ...m.atB)
      const equations = this.between(m.a, m.b)
      const at = [0, 1, 2].map((k) => (p[k] + q[k]) / 2 - c[k])
      for (let k = 0; k < 3; k++) {
        planeRow(row, at[0], at[1], at[2], k === 0 ? 1 : 0, k === 1 ? 1 : 0, k === 2 ? 1 : 0)
        equations.add(row, (m.a > m.b ? 1 : -1) * (p[k] - q[k]), 1 / m.sigmaMm ** 2)
      }
    }
  }

  mirror(): void {
    for (const e of this.of.values()) e.mirror()
  }

  private between(a: number, b: number): NormalEquations {
    const key = Math.min(a, b) * this.bodies + Math.max(a, b)
    let found = this.of.get(key)
    if (!found) this.of.set(key, (found = new NormalEquations(6)))
    return found
  }
}

/**
 * From blocks between bodies to the unknowns, by the chain rule: each block says what the difference of two bodies'
 * twists costs.
 */
function assemble(
  blocks: Blocks,
  bodies: readonly Body[],
  normal: Float64Array,
  right: Float64Array,
  unknowns: number,
): void {
  normal.fill(0)
  right.fill(0)
  const ht = new Float64Array(6)
  for (const [key, { h, g }] of blocks.of) {
    const lo = Math.floor(key / blocks.bodies),
      hi = key % blocks.bodies
    const columns = [
      ...bodies[hi].moves.map((m) => ({ m, sign: 1 })),
      ...bodies[lo].moves.map((m) => ({ m, sign: -1 })),
    ]
    for (const { m, sign } of columns) {
      for (let c = 0; c < 6; c++) {
        let s = 0
        for (let e = 0; e < 6; e++) s += h[c * 6 + e] * m.twist[e]
        ht[c] = s * sign
        right[m.unknown] += sign * m.twist[c] * g[c]
      }
      for (const other of columns) {
        let s = 0
        for (let c = 0; c < 6; c++) s += other.m.twist[c] * ht[c]
        normal[other.m.unknown * unknowns + m.unknown] += s * other.sign
      }
    }
  }
}

/** How far a unit of each unknown moves what it moves, squared: turns at half the size. */
function reachOf(bodies: readonly Body[], unknowns: number, size: number): Float64Array {
  const out = new Float64Array(unknowns)
  for (const b of bodies)
    for (const { unknown, twist: t } of b.moves)
      out[unknown] = Math.max(
        out[unknown],
        t[3] ** 2 + t[4] ** 2 + t[5] ** 2 + (t[0] ** 2 + t[1] ** 2 + t[2] ** 2) * (size / 2) ** 2,
      )
  return out
}

/** Solves with priors, and with the least damping that holds what nothing else does. */
function solveHeld(
  normal: Float64Array,
  right: Float64Array,
  n: number,
  priors: readonly Prior[],
  state: Float64Array,
  reach: Float64Array,
): Float64Array {
  const x = new Float64Array(n)
  // Information a millimetre of motion has, over all unknowns.
  let perMm2 = 0
  for (let u = 0; u < n; u++) if (reach[u] > 0) perMm2 += normal[u * n + u] / reach[u] / n
  for (let damping = DAMPING; ; damping *= 100) {
    const a = normal.slice(),
      g = right.slice()
    // By how far it moves the surface, the same for all (Levenberg 1944): an unknown of which little is known must not
    // make up for one that is well known.
    for (let u = 0; u < n; u++) a[u * n + u] += damping * perMm2 * reach[u] + 1e-12
    for (const p of priors) {
      a[p.unknown * n + p.unknown] += 1 / p.sigma ** 2
      g[p.unknown] -= state[p.unknown] / p.sigma ** 2
    }
    if (solveCholesky(a, g, x, n)) return x
    if (damping > 1) throw new GeometryError('DEGENERATE', 'The common surface does not say how the takes fit.')
  }
}

function twistOf(moves: readonly Move[], x: ArrayLike<number>): Float64Array {
  const out = new Float64Array(6)
  for (const m of moves) for (let c = 0; c < 6; c++) out[c] += m.twist[c] * x[m.unknown]
  return out
}

/** How far a step moves bodies against each other at half the size, mm: what moves all alike is no move. */
function relativeMove(bodies: readonly Body[], x: Float64Array, size: number): number {
  const twists = bodies.map((b) => twistOf(b.moves, x))
  const mean = new Float64Array(6)
  for (const t of twists) for (let c = 0; c < 6; c++) mean[c] += t[c] / twists.length
  return Math.max(
    ...twists.map(
      (t) =>
        (Math.hypot(t[0] - mean[0], t[1] - mean[1], t[2] - mean[2]) * size) / 2 +
        Math.hypot(t[3] - mean[3], t[4] - mean[4], t[5] - mean[5]),
    ),
  )
}

/** Points that were sought for over pairs that were found. */
function onceOf(directed: readonly Directed[], bodies: number): number {
  const points = new Float64Array(bodies)
  let pairs = 0
  for (const d of directed) {
    points[d.from] = d.sample.length
    pairs += d.count
  }
  return pairs > 0 ? Math.min(1, points.reduce((s, n) => s + n, 0) / pairs) : 1
}

function scatterOf(directed: readonly Directed[]): number {
  const residuals: number[] = []
  for (const d of directed) {
    const step = Math.max(1, Math.floor(d.count / 300))
    const own: number[] = []
    for (let k = 0; k < d.count; k += step) own.push(Math.abs(d.pair[k * PAIR_SIZE + ALONG]))
    d.scatterMm = own.length > 0 ? 1.4826 * median(Float64Array.from(own)) : 0
    residuals.push(...own)
  }
  return residuals.length > 0 ? 1.4826 * median(Float64Array.from(residuals)) : 0
}

/** Every body's even share of so many samples, off its rim. */
function samplesOf(bodies: readonly Body[], total: number): Int32Array[] {
  const points = bodies.reduce((s, b) => s + b.cloud.positions.length / 3, 0)
  return bodies.map(({ cloud }) => {
    const { order, boundary } = cloud.features
    const step = Math.max(1, points / total)
    const out: number[] = []
    for (let k = step / 2; k < order.length; k += step) {
      const i = order[Math.floor(k)]
      if (!boundary[i]) out.push(i)
    }
    return Int32Array.from(out)
  })
}

/** Pairs of bodies whose sampled points come near each other at the start. */
function overlappingEdges(
  bodies: readonly Body[],
  motions: readonly Motion[],
  options: JointOptions,
): [number, number][] {
  const few = samplesOf(bodies, bodies.length * 300)
  const edges: [number, number][] = []
  const spheres = bodies.map((b, i) => sphereOf(b.cloud.positions, few[i], motions[i]))
  for (let a = 0; a < bodies.length; a++)
    for (let b = a + 1; b < bodies.length; b++) {
      if (options.apart?.(a, b)) continue
      const [p, q] = [spheres[a], spheres[b]]
      const reach = Math.max(
        options.reachMm,
        3 * Math.max(bodies[a].cloud.features.spacingMm, bodies[b].cloud.features.spacingMm),
      )
      if (Math.hypot(p[0] - q[0], p[1] - q[1], p[2] - q[2]) > p[3] + q[3] + reach) continue
      const relative = compose(invertRigid(motions[b]), motions[a])
      const from = bodies[a].cloud.positions,
        { tree } = bodies[b].cloud
      let near = 0
      for (const s of few[a]) {
        const [x, y, z] = transformPoint(relative, from[s * 3], from[s * 3 + 1], from[s * 3 + 2])
        if (tree.nearest(x, y, z, reach * reach) >= 0) near++
      }
      if (near >= Math.max(4, 0.02 * few[a].length)) edges.push([a, b])
    }
  return edges
}

function sphereOf(p: Float32Array, sample: Int32Array, m: Motion): [number, number, number, number] {
  let x = 0,
    y = 0,
    z = 0
  for (const s of sample) {
    x += p[s * 3] / sample.length
    y += p[s * 3 + 1] / sample.length
    z += p[s * 3 + 2] / sample.length
  }
  let r = 0
  for (const s of sample) r = Math.max(r, Math.hypot(p[s * 3] - x, p[s * 3 + 1] - y, p[s * 3 + 2] - z))
  return [...transformPoint(m, x, y, z), 1.1 * r]
}

/** About the middle of all points, in the common frame: what unknowns' turns are about. */
export function centreOf(bodies: readonly Pick<Body, 'cloud' | 'start'>[]): [number, number, number] {
  const out: [number, number, number] = [0, 0, 0]
  let n = 0
  for (const { cloud, start } of bodies)
    for (let i = 0; i < cloud.positions.length; i += 3 * 97) {
      const p = transformPoint(start, cloud.positions[i], cloud.positions[i + 1], cloud.positions[i + 2])
      for (let k = 0; k < 3; k++) out[k] += p[k]
      n++
    }
  return [out[0] / n, out[1] / n, out[2] / n]
}
