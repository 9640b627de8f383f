import { checkpoint, stage, type RunContext } from '../../context'
import { estimateFeatures } from '../../cloud/normals'
import { medianSpacing } from '../../cloud/spacing'
import { GeometryError } from '../../errors'
import { solveCholesky } from '../../linear/cholesky'
import { meanPoint } from '../../linear/mean-point'
import {
  compose,
  identityMotion,
  orthonormalise,
  shiftMotion,
  transformPoint,
  twistMotion,
  type Motion,
} from '../../linear/rigid'
import { median } from '../../linear/samples'
import { indicesWhere, pickPoints, type PointCloud } from '../../shapes'
import { KdTree } from '../../spatial/kd-tree'
import { framesApart, FREE_PRIORS, isWorthIt, pairScatters, tablePriors, type TablePriors } from './frame-priors'
import { OrientedCloud } from '../oriented-cloud'

export interface FrameMatchOptions {
  /**
   * How the frames were placed: by a table about the z axis, whose angle may have slipped, or by a device that found
   * its own place.
   */
  readonly placed: 'table' | 'free'
  /** How far a frame may be off when matching begins, mm. @defaultValue eight spacings, at least 2 mm */
  readonly reachMm?: number
}

export interface FrameMatch {
  /** The take with every frame moved to its place; same points in the same order. */
  readonly cloud: PointCloud
  /** Per frame: where it was → where it belongs. Nothing moves when matching brings the frames no nearer. */
  readonly corrections: readonly Motion[]
  /** Whether the frames were moved. */
  readonly worthIt: boolean
  /** Turn about the table's axis each frame was off, degrees. */
  readonly turnsDeg: readonly number[]
  /** What the ring of neighbouring frames does not add up to, mm at the piece's radius. */
  readonly closingBeforeMm: number
  readonly closingAfterMm: number
  /** Robust scatter between frames, mm. */
  readonly scatterBeforeMm: number
  readonly scatterAfterMm: number
  readonly rounds: number
}

const SAMPLES = 24_000
/** Points that pairs are sought among: denser ones would say no more and take longer. */
const MOST_POINTS = 90_000
const NEIGHBOURS = 14
const MIN_COSINE = 0.7
const ROUNDS = 25
/**
 * Matching ends when no frame moves by more than this share of the scatter: pairs that change partners move it about by
 * as much.
 */
const SETTLED = 0.025
/** Fewer points than this say nothing of how a frame lies. */
export const LEAST_POINTS = 60
const SHARED = 4
/** One frame as the matcher sees it: its points in their order in the take. */
interface Frame {
  readonly ids: Int32Array
  readonly normals: Float32Array
  readonly whole: Pick<OrientedCloud, 'positions' | 'features' | 'tree'>
}

/**
 * Matches the frames of one take with each other: every sampled point pairs with the nearest point of each other frame
 * near it; all frames move at once in one least-squares problem per round (joint multi-view matching with pairs sought
 * anew each round), with the symmetric plane distance (Rusinkiewicz 2019, ACM TOG 38(4)), Tukey weights and a prior on
 * every frame's motion, so that what the table knows stays known: its frames share an axis (offset and tilt), may slip
 * about it, and otherwise only shake.
 * Positions in mm; frames as the cloud's `frame` numbers them. The cloud is not changed.
 * @throws PARAMS when the cloud does not know its frames, or has fewer than two
 */
export function matchFrames(cloud: PointCloud, options: FrameMatchOptions, context: RunContext): FrameMatch {
  const { frame, frameOrigins } = cloud
  if (!frame || !frameOrigins)
    throw new GeometryError(
      'PARAMS',
      'This take does not know which frame each point came from; its frames cannot be matched.',
    )
  const n = frameOrigins.length / 3
  const frames = framesOf(cloud, n, stage(context, 0, 0.3))
  const used = frames.filter((f) => f !== null).length
  if (used < 2) throw new GeometryError('PARAMS', 'The take has only one frame; there is nothing to match.')
  const points = cloud.positions.length / 3
  const normals = new Float32Array(points * 3)
  for (const f of frames) f?.ids.forEach((id, k) => normals.set(f.normals.subarray(k * 3, k * 3 + 3), id * 3))
  const spacing = medianSpacing(cloud)
  const centre = meanPoint(cloud.positions)
  let radius = 0
  for (let i = 0; i < points; i += 7)
    radius += Math.hypot(
      cloud.positions[i * 3] - centre[0],
      cloud.positions[i * 3 + 1] - centre[1],
      cloud.positions[i * 3 + 2] - centre[2],
    )
  radius /= Math.ceil(points / 7)
  const corrections: Motion[] = Array.from({ length: n }, identityMotion)
  const wholes = frames.flatMap((f) => f?.whole ?? [])
  const scatters = pairScatters(wholes, spacing)
  const problem = new JointProblem(n, frameOrigins, options.placed, tablePriors(framesApart(wholes, scatters), radius))
  const sample = evenPick(frames, n)
  let limit = options.reachMm ?? Math.max(2, 8 * spacing)
  let closingBeforeMm = 0,
    scatterBeforeMm = 0,
    rounds = 0
  const work = stage(context, 0.3, 1)
  for (; rounds < ROUNDS; rounds++) {
    checkpoint(work, rounds, ROUNDS, `Matching ${used} frames`)
    const moved = moveAll(cloud.positions, normals, frame, corrections)
    const scatter = problem.gather(moved, frame, sample, centre, limit)
    if (rounds === 0) {
      closingBeforeMm = problem.closingMm(radius)
      scatterBeforeMm = scatter
    }
    const step = problem.solve(corrections, centre)
    for (let f = 0; f < n; f++) corrections[f] = orthonormalise(compose(step.motions[f], corrections[f]))
    limit = Math.max(2.5 * spacing + 3 * scatter, 0.7 * limit)
    if (step.largestMm(radius) < SETTLED * scatter && rounds > 3) break
  }
  const worthIt = isWorthIt(
    scatters,
    pairScatters(
      wholes,
      spacing,
      corrections.filter((_, f) => frames[f]),
    ),
  )
  if (!worthIt) corrections.forEach((_, f) => (corrections[f] = identityMotion()))
  const moved = moveAll(cloud.positions, normals, frame, corrections)
  const scatterAfterMm = problem.gather(moved, frame, sample, centre, limit)
  return {
    cloud: worthIt ? movedByFrame(cloud, corrections) : cloud,
    corrections,
    worthIt,
    turnsDeg: corrections.map((m) => (Math.atan2(m[4] - m[1], m[0] + m[5]) * 180) / Math.PI),
    closingBeforeMm,
    closingAfterMm: problem.closingMm(radius),
    scatterBeforeMm,
    scatterAfterMm,
    rounds,
  }
}

/** Unknowns: four of the shared axis, then six a frame (turn, shift; about the take's middle). */
class JointProblem {
  private readonly a: Float64Array
  private readonly g: Float64Array
  private readonly size: number
  private pairs = new Float64Array(0)
  private count = 0
  /** Per frame: turn and shift that a unit of each shared unknown gives it. */
  private readonly shared: Float64Array

  constructor(
    private readonly frames: number,
    origins: Float64Array,
    private readonly placed: 'table' | 'free',
    private readonly priors: TablePriors,
  ) {
    this.size = SHARED + 6 * frames
    this.a = new Float64Array(this.size * this.size)
    this.g = new Float64Array(this.size)
    this.shared = new Float64Array(frames * 24)
    if (placed === 'free') return
    for (let f = 0; f < frames; f++) {
      const r = Math.hypot(origins[f * 3], origins[f * 3 + 1])
      if (r < 1) continue
      // A direction fixed to the device turns with the frame.
      const c = origins[f * 3] / r,
        s = origins[f * 3 + 1] / r
      const put = (unknown: number, row: number, v: number): void => {
        this.shared[f * 24 + row * SHARED + unknown] = v
      }
      put(0, 3, c)
      put(0, 4, s)
      put(1, 3, -s)
      put(1, 4, c)
      put(2, 0, c)
      put(2, 1, s)
      put(3, 0, -s)
      put(3, 1, c)
    }
  }

  /**
   * Pairs each sampled point with the nearest of every other frame near it; returns the robust scatter of their
   * distances along the surface's normal, mm.
   */
  gather(
    moved: { positions: Float32Array; normals: Float32Array },
    frame: Uint16Array,
    sample: Int32Array,
    centre: readonly number[],
    limit: number,
  ): number {
    const { positions: p, normals: m } = moved
    const step = Math.max(1, Math.floor(p.length / 3 / MOST_POINTS))
    const part = new Float32Array(Math.ceil(p.length / 3 / step) * 3)
    for (let i = 0, k = 0; i < p.length; i += 3 * step, k += 3) part.set(p.subarray(i, i + 3), k)
    const tree = new KdTree(part)
    const ids = new Int32Array(NEIGHBOURS),
      d2 = new Float64Array(NEIGHBOURS)
    if (this.pairs.length === 0) this.pairs = new Float64Array(sample.length * 6 * 9)
    let out = this.pairs
    let at = 0
    const met = new Int32Array(this.frames).fill(-1)
    for (let s = 0; s < sample.length; s++) {
      const i = sample[s]
      const x = p[i * 3],
        y = p[i * 3 + 1],
        z = p[i * 3 + 2]
      const found = tree.knn(x, y, z, NEIGHBOURS, ids, d2, limit * limit)
      const own = frame[i]
      for (let k = 0; k < found; k++) {
        const j = ids[k] * step,
          f = frame[j]
        if (f === own || met[f] === s) continue
        met[f] = s
        let nx = m[i * 3] + m[j * 3],
          ny = m[i * 3 + 1] + m[j * 3 + 1],
          nz = m[i * 3 + 2] + m[j * 3 + 2]
        if (m[i * 3] * m[j * 3] + m[i * 3 + 1] * m[j * 3 + 1] + m[i * 3 + 2] * m[j * 3 + 2] < MIN_COSINE) continue
        const l = 1 / Math.sqrt(nx * nx + ny * ny + nz * nz)
        nx *= l
        ny *= l
        nz *= l
        if (at + 9 > out.length) {
          const more = new Float64Array(out.length * 2)
          more.set(out)
          out = this.pairs = more
        }
        out[at] = own
        out[at + 1] = f
        out[at + 2] = (x + p[j * 3]) / 2 - centre[0]
        out[at + 3] = (y + p[j * 3 + 1]) / 2 - centre[1]
        out[at + 4] = (z + p[j * 3 + 2]) / 2 - centre[2]
        out[at + 5] = nx
        out[at + 6] = ny
        out[at + 7] = nz
        out[at + 8] = nx * (x - p[j * 3]) + ny * (y - p[j * 3 + 1]) + nz * (z - p[j * 3 + 2])
        at += 9
      }
    }
    this.count = at / 9
    if (this.count < 20)
      throw new GeometryError(
        'NO_OVERLAP',
        'The frames of this take have hardly any surface in common; they cannot be matched.',
      )
    const residuals = new Float64Array(this.count)
    for (let k = 0; k < this.count; k++) residuals[k] = Math.abs(out[k * 9 + 8])
    this.scatterMm = 1.4826 * median(residuals)
    return this.scatterMm
  }

  private scatterMm = 0
  /** What the shared axis has come to so far. */
  private readonly axis = new Float64Array(SHARED)

  private row(k: number, row: Float64Array): number {
    const q = this.pairs,
      at = k * 9
    const mx = q[at + 2],
      my = q[at + 3],
      mz = q[at + 4],
      nx = q[at + 5],
      ny = q[at + 6],
      nz = q[at + 7]
    row[0] = my * nz - mz * ny
    row[1] = mz * nx - mx * nz
    row[2] = mx * ny - my * nx
    row[3] = nx
    row[4] = ny
    row[5] = nz
    const tukey = 4.685 * Math.max(this.scatterMm, 1e-6)
    const u = q[at + 8] / tukey
    return u >= 1 || u <= -1 ? 0 : (1 - u * u) ** 2
  }

  /** One step of all frames together; corrections made so far count against their priors. */
  solve(
    corrections: readonly Motion[],
    centre: readonly number[],
  ): { motions: Motion[]; largestMm(radius: number): number } {
    const { size, a, g } = this
    a.fill(0)
    g.fill(0)
    const row = new Float64Array(6)
    // The scatter serves as the unit of distance, so that priors weigh as they should.
    const unit = 1 / Math.max(this.scatterMm, 1e-4) ** 2
    for (let k = 0; k < this.count; k++) {
      const w = this.row(k, row) * unit
      if (w === 0) continue
      const i = SHARED + 6 * this.pairs[k * 9],
        j = SHARED + 6 * this.pairs[k * 9 + 1],
        r = this.pairs[k * 9 + 8]
      for (let c = 0; c < 6; c++) {
        const wc = w * row[c]
        g[i + c] -= wc * r
        g[j + c] += wc * r
        for (let d = 0; d < 6; d++) {
          const v = wc * row[d]
          a[(i + c) * size + i + d] += v
          a[(j + c) * size + j + d] += v
          a[(i + c) * size + j + d] -= v
          a[(j + c) * size + i + d] -= v
        }
      }
    }
    this.addShared()
    const { rad, mm } = FREE_PRIORS
    const { slipRad, shakeRad, shakeMm, axisMm, axisRad } = this.priors
    const sigmas =
      this.placed === 'table' ? [shakeRad, shakeRad, slipRad, shakeMm, shakeMm, shakeMm] : [rad, rad, rad, mm, mm, mm]
    for (let f = 0; f < this.frames; f++) {
      const past = twistAbout(corrections[f], this.placed === 'table' ? [0, 0, centre[2]] : centre)
      // A slip turns about the table's axis, not about the take's middle: priors are written at the axis and brought
      // over.
      const arm = this.placed === 'table' ? ([centre[0], centre[1]] as const) : ([0, 0] as const)
      addPrior(a, g, size, SHARED + 6 * f, sigmas, past, arm)
    }
    for (let s = 0; s < SHARED; s++) {
      const w = 1 / (s < 2 ? axisMm : axisRad) ** 2
      a[s * size + s] += w
      g[s] -= w * this.axis[s]
    }
    const x = new Float64Array(size)
    if (!solveCholesky(a, g, x, size))
      throw new GeometryError('DEGENERATE', 'The frames’ common surface does not say how they fit.')
    for (let s = 0; s < SHARED; s++) this.axis[s] += x[s]
    const motions: Motion[] = []
    let turn = 0,
      shift = 0
    const there = shiftMotion(centre[0], centre[1], centre[2]),
      back = shiftMotion(-centre[0], -centre[1], -centre[2])
    for (let f = 0; f < this.frames; f++) {
      const twist = new Float64Array(6)
      for (let c = 0; c < 6; c++) {
        twist[c] = x[SHARED + 6 * f + c]!
        for (let s = 0; s < SHARED; s++) twist[c] += this.shared[f * 24 + c * SHARED + s] * x[s]
      }
      turn = Math.max(turn, Math.hypot(twist[0], twist[1], twist[2]))
      shift = Math.max(shift, Math.hypot(twist[3], twist[4], twist[5]))
      motions.push(compose(there, compose(twistMotion(twist), back)))
    }
    return { motions, largestMm: (radius) => turn * radius + shift }
  }

  /** Rows and columns of the shared unknowns follow from the frames' by the chain rule. */
  private addShared(): void {
    if (this.placed === 'free') return
    const { size, a, g, shared, frames } = this
    const half = new Float64Array(size * SHARED)
    for (let r = SHARED; r < size; r++)
      for (let f = 0; f < frames; f++)
        for (let c = 0; c < 6; c++) {
          const v = a[r * size + SHARED + 6 * f + c]
          if (v !== 0) for (let s = 0; s < SHARED; s++) half[r * SHARED + s] += v * shared[f * 24 + c * SHARED + s]
        }
    for (let r = SHARED; r < size; r++)
      for (let s = 0; s < SHARED; s++) a[r * size + s] = a[s * size + r] = half[r * SHARED + s]!
    for (let f = 0; f < frames; f++)
      for (let c = 0; c < 6; c++)
        for (let s = 0; s < SHARED; s++) {
          const b = shared[f * 24 + c * SHARED + s]
          if (b === 0) continue
          g[s] += b * g[SHARED + 6 * f + c]
          for (let t = 0; t < SHARED; t++) a[s * size + t] += b * half[(SHARED + 6 * f + c) * SHARED + t]
        }
  }

  /** Each frame on its next one round the ring: what the small motions do not add up to, mm at a radius. */
  closingMm(radius: number): number {
    const sum = new Float64Array(6)
    const row = new Float64Array(6)
    const a = new Float64Array(36 * this.frames),
      g = new Float64Array(6 * this.frames),
      n = new Int32Array(this.frames)
    for (let k = 0; k < this.count; k++) {
      let i = this.pairs[k * 9],
        j = this.pairs[k * 9 + 1],
        r = this.pairs[k * 9 + 8]
      if ((j + 1) % this.frames === i) [i, j, r] = [j, i, -r]
      if ((i + 1) % this.frames !== j) continue
      const w = this.row(k, row)
      n[i]++
      for (let c = 0; c < 6; c++) {
        g[i * 6 + c] -= w * row[c] * r
        for (let d = 0; d < 6; d++) a[i * 36 + c * 6 + d] += w * row[c] * row[d]
      }
    }
    const x = new Float64Array(6)
    for (let f = 0; f < this.frames; f++) {
      // Where neighbours share nothing the ring is open there, and closes nothing.
      if (n[f] < 30) continue
      const m = a.slice(f * 36, f * 36 + 36)
      // What the surface leaves free is not an error: damped to nothing.
      for (let c = 0; c < 6; c++)
        m[c * 7] += 1e-3 * (c < 3 ? (m[0] + m[7] + m[14]) / 3 : (m[21] + m[28] + m[35]) / 3) + 1e-9
      if (solveCholesky(m, g.slice(f * 6, f * 6 + 6), x, 6)) for (let c = 0; c < 6; c++) sum[c] += x[c]
    }
    return Math.hypot(sum[0], sum[1], sum[2]) * radius + Math.hypot(sum[3], sum[4], sum[5])
  }
}

/**
 * Adds Σ (x_axis + past)²/σ² where x_axis is the twist seen from a point (−arm, 0) beside the take's middle: turns are
 * the same there, shifts differ by turn × arm.
 */
function addPrior(
  a: Float64Array,
  g: Float64Array,
  size: number,
  at: number,
  sigmas: readonly number[],
  past: Float64Array,
  [ax, ay]: readonly [number, number],
): void {
  // Shift at the axis = shift at the middle + turn × (axis − middle), axis − middle = (−ax, −ay, 0).
  const rows = [
    [1, 0, 0, 0, 0, 0],
    [0, 1, 0, 0, 0, 0],
    [0, 0, 1, 0, 0, 0],
    [0, 0, ay, 1, 0, 0],
    [0, 0, -ax, 0, 1, 0],
    [-ay, ax, 0, 0, 0, 1],
  ]
  rows.forEach((row, r) => {
    const w = 1 / sigmas[r] ** 2
    for (let c = 0; c < 6; c++)
      if (row[c] !== 0) {
        g[at + c] -= w * row[c] * past[r]
        for (let d = 0; d < 6; d++) a[(at + c) * size + at + d] += w * row[c] * row[d]
      }
  })
}

/** Turn (rotation vector) and shift of a small motion at a point. */
function twistAbout(m: Motion, [x, y, z]: readonly number[]): Float64Array {
  const p = transformPoint(m, x, y, z)
  return Float64Array.of((m[9] - m[6]) / 2, (m[2] - m[8]) / 2, (m[4] - m[1]) / 2, p[0] - x, p[1] - y, p[2] - z)
}

/** Indices of each frame's points. */
export function framePoints({ frame, frameOrigins }: PointCloud): Int32Array[] {
  const n = frameOrigins!.length / 3
  const counts = new Int32Array(n)
  for (const f of frame!) if (f < n) counts[f]++
  const lists = Array.from(counts, (c) => new Int32Array(c))
  const at = new Int32Array(n)
  frame!.forEach((f, i) => {
    if (f < n) lists[f][at[f]++] = i
  })
  return lists
}

function framesOf(cloud: PointCloud, n: number, context: RunContext): (Frame | null)[] {
  return framePoints(cloud).map((ids, f) => {
    checkpoint(context, f, n, 'Reading the frames')
    if (ids.length < LEAST_POINTS) return null
    // A frame's own points say how its surface lies; layers that slipped against it must not.
    const own = pickPoints(cloud, ids)
    const bare: PointCloud = {
      kind: 'cloud',
      positions: own.positions,
      ...(own.frame && { frame: own.frame, frameOrigins: own.frameOrigins! }),
    }
    const features = estimateFeatures(bare, { ...context, progress: () => undefined }, { neighbours: 12 })
    const { normals, boundary } = features
    // A rim point's neighbourhood is one-sided, so its normal leans.
    const inner = indicesWhere(boundary, 0)
    return {
      ids: ids.filter((_, k) => boundary[k] === 0),
      normals: Float32Array.from(
        { length: inner.length * 3 },
        (_, k) => normals[inner[Math.floor(k / 3)] * 3 + (k % 3)],
      ),
      whole: new OrientedCloud(own.positions, { ...features, order: ids }, 0),
    }
  })
}

function evenPick(frames: readonly (Frame | null)[], n: number): Int32Array {
  const total = frames.reduce((s, f) => s + (f?.ids.length ?? 0), 0)
  const step = Math.max(1, Math.floor(total / SAMPLES))
  const out = new Int32Array(Math.ceil(total / step) + n)
  let k = 0
  for (const f of frames) if (f) for (let i = 0; i < f.ids.length; i += step) out[k++] = f.ids[i]!
  return out.subarray(0, k)
}

/** A take with every frame moved by its own motion, in the take's coordinates; same points in the same order. */
export function movedByFrame(cloud: PointCloud, corrections: readonly Motion[]): PointCloud {
  const origins = cloud.frameOrigins!.slice()
  corrections.forEach((m, f) =>
    origins.set(transformPoint(m, origins[f * 3], origins[f * 3 + 1], origins[f * 3 + 2]), f * 3),
  )
  const normals = cloud.normals && turnAll(cloud.normals, cloud.frame!, corrections)
  return {
    ...cloud,
    positions: placeAll(cloud.positions, cloud.frame!, corrections),
    ...(normals && { normals }),
    frameOrigins: origins,
  }
}

function moveAll(
  positions: Float32Array,
  normals: Float32Array,
  frame: Uint16Array,
  corrections: readonly Motion[],
): { positions: Float32Array; normals: Float32Array } {
  return { positions: placeAll(positions, frame, corrections), normals: turnAll(normals, frame, corrections) }
}

function placeAll(positions: Float32Array, frame: Uint16Array, corrections: readonly Motion[]): Float32Array {
  const out = new Float32Array(positions.length)
  for (let i = 0; i < frame.length; i++) {
    const m = corrections[frame[i]]
    const x = positions[i * 3],
      y = positions[i * 3 + 1],
      z = positions[i * 3 + 2]
    out[i * 3] = m[0] * x + m[1] * y + m[2] * z + m[3]
    out[i * 3 + 1] = m[4] * x + m[5] * y + m[6] * z + m[7]
    out[i * 3 + 2] = m[8] * x + m[9] * y + m[10] * z + m[11]
  }
  return out
}

function turnAll(normals: Float32Array, frame: Uint16Array, corrections: readonly Motion[]): Float32Array {
  const out = new Float32Array(normals.length)
  for (let i = 0; i < frame.length; i++) {
    const m = corrections[frame[i]]
    const x = normals[i * 3],
      y = normals[i * 3 + 1],
      z = normals[i * 3 + 2]
    out[i * 3] = m[0] * x + m[1] * y + m[2] * z
    out[i * 3 + 1] = m[4] * x + m[5] * y + m[6] * z
    out[i * 3 + 2] = m[8] * x + m[9] * y + m[10] * z
  }
  return out
}
