import {
  compose,
  invertRigid,
  partOf,
  rotationAngle,
  rotationMotion,
  shiftMotion,
  transformPoint,
  turnAxis,
  type Motion,
} from '../../linear/rigid'
import { KdTree } from '../../spatial/kd-tree'
import { nearestGrid, nearestOf } from '../coarse/downsampled-cloud'
import { NormalEquations } from '../least-squares/normal-equations'
import { planeRow } from '../least-squares/plane-row'
import { motionAbout } from '../least-squares/twist'
import { type SurfaceSamples } from '../slippage'
import { symmetricEigen } from '../../linear/symmetric'

/*
 * Look-alikes: other poses in which a surface fits as well. The surface is compared with itself, turned about its
 * principal and coordinate axes and flipped, each try refined by a few rounds of point-to-plane matching; a try counts
 * when almost all of the surface comes to lie on the whole again.
 */

export interface LookAlike {
  /** Takes the surface on to its other fit, in its own coordinates. */
  readonly motion: Motion
  readonly turnDeg: number
  readonly axis: readonly [number, number, number]
  /** Share of the moved surface that fits. */
  readonly fit: number
  readonly rmsMm: number
}

export interface LookAlikes {
  readonly found: readonly LookAlike[]
  /** The surface fits itself at every angle about this axis: a turned piece. */
  readonly everyAngleAbout: readonly [number, number, number] | null
}

const STEP_DEG = 15
const SAMPLES = 500
/** Share that must fit. */
const FITS = 0.93
/** Fits this close to lying still are the pose itself. */
const SAME_DEG = 4
const FIRST_LOOK_SAMPLES = 160
const ROUNDS = 8
/** After so many rounds on few samples most tries show that they lead nowhere, or where another has been. */
const FIRST_ROUNDS = 4
const STILL_FITS = 0.6
/** Tries that are refined at most. */
const REFINED = 90

/**
 * @param moving the surface both takes share
 * @param whole what it may come to lie on: all that the other take sees
 * @param fitMm residual that noise and spacing explain
 */
export function findLookAlikes(moving: SurfaceSamples, whole: SurfaceSamples, fitMm: number): LookAlikes {
  const some = sparse(moving, SAMPLES)
  if (some.areas.length < 20) return { found: [], everyAngleAbout: null }
  const target = new Target(whole)
  const middle = middleOf(moving),
    whole0 = middleOf(whole)
  const axes = [...principalAxes(moving, middle), [1, 0, 0], [0, 1, 0], [0, 0, 1]]
  const tries: { motion: Motion; score: number }[] = []
  // A first look is loose: a try may be off by half a step.
  const loose = Math.max(3 * fitMm, spread(moving, middle) * 0.13)
  const few = sparse(moving, FIRST_LOOK_SAMPLES)
  const centres = Math.hypot(...middle.map((v, k) => v - whole0[k])) > fitMm ? [middle, whole0] : [middle]
  for (const turn of turns(axes)) {
    for (const c of centres) {
      const motion = compose(shiftMotion(c[0], c[1], c[2]), compose(turn, shiftMotion(-c[0], -c[1], -c[2])))
      const { share, rmsMm } = target.fit(few, motion, loose, true)
      // On a rounded piece everything fits loosely; what fits closely goes first.
      tries.push({ motion, score: share - (0.5 * rmsMm) / loose })
    }
  }
  tries.sort((a, b) => b.score - a.score)
  const found: LookAlike[] = []
  for (const t of tries.slice(0, REFINED)) {
    if (t.score < 0.4) break
    if (found.some((f) => turnOf(compose(invertRigid(f.motion), t.motion)).deg < STEP_DEG * 0.4)) continue
    const { motion: nearly, share: still } = target.refine(few, t.motion, loose, fitMm, 0, FIRST_ROUNDS, true)
    if (
      still < STILL_FITS ||
      turnOf(nearly).deg < SAME_DEG / 2 ||
      found.some((f) => turnOf(compose(invertRigid(f.motion), nearly)).deg < SAME_DEG / 2)
    )
      continue
    const { motion } = target.refine(some, nearly, loose, fitMm, FIRST_ROUNDS, ROUNDS)
    const { share, rmsMm } = target.fit(some, motion, 2.5 * fitMm)
    if (share < FITS || rmsMm > fitMm) continue
    const angle = turnOf(motion)
    // Shifts without a turn are sought by `findShifts`.
    if (angle.deg < SAME_DEG) continue
    if (found.every((f) => turnOf(compose(invertRigid(f.motion), motion)).deg > 8))
      found.push({ motion, turnDeg: angle.deg, axis: angle.axis, fit: share, rmsMm })
  }
  found.sort((a, b) => a.turnDeg - b.turnDeg)
  return { found, everyAngleAbout: roundAbout(axes, some, target, whole0, fitMm) }
}

/** Of the surface's extent: longest shift looked at, steps on the way. */
const LONGEST_SHIFT = 0.7
const SHIFT_STEPS = 60
/** Samples for the steps; how much must fit there to be looked at closely, and how many of the best are. */
const STEP_SAMPLES = 64
const STEP_FITS = 0.35
const BEST_STEPS = 4
/** A shifted surface leaves the other's rim: so much must fit, and so much less on the way there, or else it slides. */
const SHIFT_FITS = 0.5
const ON_THE_WAY = 0.8
/** Shares of the way that no number of equal steps has in common. */
export const BETWEEN = [0.23, 0.37, 0.61] as const

/**
 * Shifts after which a surface with a pattern that repeats (teeth, a thread's turns, a row of beads) fits again, and
 * does not on the way there.
 * @param moving the surface both takes share
 * @param whole what it may come to lie on
 * @param leastMm shorter shifts are the pose itself
 */
export function findShifts(moving: SurfaceSamples, whole: SurfaceSamples, fitMm: number, leastMm: number): Motion[] {
  const some = sparse(moving, SAMPLES),
    few = sparse(moving, STEP_SAMPLES)
  if (some.areas.length < 20) return []
  const target = new Target(whole)
  const middle = middleOf(moving)
  const found: { motion: Motion; at: [number, number, number] }[] = []
  for (const axis of principalAxes(moving, middle)) {
    let low = Infinity,
      high = -Infinity
    for (let i = 0; i < moving.points.length; i += 3) {
      const along = axis[0] * moving.points[i] + axis[1] * moving.points[i + 1] + axis[2] * moving.points[i + 2]
      low = Math.min(low, along)
      high = Math.max(high, along)
    }
    const step = Math.max((LONGEST_SHIFT * (high - low)) / SHIFT_STEPS, fitMm)
    const loose = Math.max(2.5 * fitMm, step)
    for (const sign of [1, -1]) {
      const by = (mm: number): Motion => shiftMotion(sign * mm * axis[0], sign * mm * axis[1], sign * mm * axis[2])
      const steps: { mm: number; share: number; score: number }[] = []
      for (let mm = 0; mm <= LONGEST_SHIFT * (high - low); mm += step) {
        const { share, rmsMm } = target.fit(few, by(mm), loose, true)
        steps.push({ mm, share, score: share - (0.5 * rmsMm) / loose })
      }
      const peaks = steps.filter(
        ({ mm, share, score }, k) =>
          mm >= leastMm &&
          share >= STEP_FITS &&
          score >= steps[k - 1].score &&
          score >= (steps[k + 1]?.score ?? Infinity),
      )
      for (const { mm } of peaks.sort((p, q) => q.score - p.score).slice(0, BEST_STEPS)) {
        const { motion, share: still } = target.refine(few, by(mm), loose, fitMm, 0, FIRST_ROUNDS, true)
        if (still < SHIFT_FITS) continue
        const { motion: close } = target.refine(some, motion, loose, fitMm, FIRST_ROUNDS, ROUNDS)
        const at = transformPoint(close, ...middle)
        if (
          turnOf(close).deg > SAME_DEG ||
          Math.hypot(...at.map((v, c) => v - middle[c])) < leastMm ||
          found.some((f) => Math.hypot(...f.at.map((v, c) => v - at[c])) < leastMm)
        )
          continue
        const there = target.fit(some, close, 2.5 * fitMm)
        if (there.share < SHIFT_FITS || there.rmsMm > fitMm) continue
        if (
          BETWEEN.every(
            (f) => target.fit(some, partOf(close, middle, f), 2.5 * fitMm).share >= ON_THE_WAY * there.share,
          )
        )
          continue
        found.push({ motion: close, at })
      }
    }
  }
  return found.map((f) => f.motion)
}

/** Whether the surface fits at every angle about one of the axes: then single angles say nothing. */
function roundAbout(
  axes: readonly (readonly number[])[],
  some: SurfaceSamples,
  target: Target,
  c: readonly number[],
  fitMm: number,
): [number, number, number] | null {
  for (const a of axes) {
    let every = true
    for (let deg = 25; deg < 360 && every; deg += 31) {
      const turn = compose(
        shiftMotion(c[0], c[1], c[2]),
        compose(rotationMotion(a, (deg * Math.PI) / 180), shiftMotion(-c[0], -c[1], -c[2])),
      )
      every = target.fit(some, turn, 2.5 * fitMm).share >= FITS
    }
    if (every) return [a[0], a[1], a[2]]
  }
  return null
}

/** Turns about each axis, flips about what stands across it, and thirds about the diagonals. */
function turns(axes: readonly (readonly number[])[]): Motion[] {
  const out: Motion[] = []
  for (const a of axes) {
    for (let deg = STEP_DEG; deg < 360; deg += STEP_DEG) out.push(rotationMotion(a, (deg * Math.PI) / 180))
    const [u, v] = across(a)
    for (let deg = 0; deg < 180; deg += STEP_DEG) {
      const c = Math.cos((deg * Math.PI) / 180),
        s = Math.sin((deg * Math.PI) / 180)
      out.push(
        rotationMotion(
          u.map((x, k) => x * c + v[k] * s),
          Math.PI,
        ),
      )
    }
  }
  for (let set = 0; set + 2 < axes.length; set += 3) {
    for (const [p, q] of [
      [1, 1],
      [1, -1],
      [-1, 1],
      [-1, -1],
    ] as const) {
      const d = [0, 1, 2].map((k) => axes[set][k] + p * axes[set + 1][k] + q * axes[set + 2][k])
      for (const deg of [120, 240]) out.push(rotationMotion(d, (deg * Math.PI) / 180))
    }
  }
  return out
}

function across(a: readonly number[]): [number[], number[]] {
  const h = Math.abs(a[0]) < 0.8 ? [1, 0, 0] : [0, 1, 0]
  const cross = (p: readonly number[], q: readonly number[]): number[] => [
    p[1] * q[2] - p[2] * q[1],
    p[2] * q[0] - p[0] * q[2],
    p[0] * q[1] - p[1] * q[0],
  ]
  const unit = (p: number[]): number[] => p.map((x) => x / (Math.hypot(...p) || 1))
  const u = unit(cross(a, h))
  return [u, unit(cross(a, u))]
}

function sparse(s: SurfaceSamples, most: number): SurfaceSamples {
  const n = s.areas.length
  if (n <= most) return s
  const points = new Float32Array(most * 3),
    normals = new Float32Array(most * 3),
    areas = new Float64Array(most)
  for (let i = 0; i < most; i++) {
    const j = Math.floor(((i + 0.5) * n) / most)
    points.set(s.points.subarray(j * 3, j * 3 + 3), i * 3)
    normals.set(s.normals.subarray(j * 3, j * 3 + 3), i * 3)
    areas[i] = (s.areas[j] * n) / most
  }
  return { points, normals, areas }
}

function middleOf(s: SurfaceSamples): [number, number, number] {
  const c: [number, number, number] = [0, 0, 0]
  let total = 0
  for (let i = 0; i < s.areas.length; i++) {
    total += s.areas[i]
    for (let k = 0; k < 3; k++) c[k] += s.areas[i] * s.points[i * 3 + k]
  }
  return [c[0] / (total || 1), c[1] / (total || 1), c[2] / (total || 1)]
}

/** Root mean square distance from the middle. */
function spread(s: SurfaceSamples, c: readonly number[]): number {
  let sum = 0
  for (let i = 0; i < s.points.length; i++) sum += (s.points[i] - c[i % 3]) ** 2
  return Math.sqrt((3 * sum) / Math.max(1, s.points.length))
}

function principalAxes(s: SurfaceSamples, c: readonly number[]): number[][] {
  const m = new Float64Array(9)
  for (let i = 0; i < s.areas.length; i++)
    for (let a = 0; a < 3; a++)
      for (let b = 0; b < 3; b++)
        m[a * 3 + b] += s.areas[i] * (s.points[i * 3 + a] - c[a]) * (s.points[i * 3 + b] - c[b])
  return symmetricEigen(m, 3).vectors.map((v) => Array.from(v))
}

function turnOf(m: Motion): { deg: number; axis: [number, number, number] } {
  return { deg: (rotationAngle(m) * 180) / Math.PI, axis: turnAxis(m) }
}

class Target {
  private readonly tree: KdTree
  /** Nearest samples to within a grid's rounding: for first looks, where only what fits loosely is asked. */
  private readonly near: { readonly voxelMm: number; readonly grid: Int32Array; readonly frame: Float64Array }
  /** Nearest samples farther off sideways than this lie past the rim. */
  private readonly reachMm: number

  constructor(private readonly whole: SurfaceSamples) {
    this.tree = new KdTree(whole.points)
    const mean = whole.areas.reduce((a, b) => a + b, 0) / Math.max(1, whole.areas.length)
    this.reachMm = 1.7 * Math.sqrt(mean / 0.433)
    const voxelMm = Math.max(Math.sqrt(mean), 1e-6)
    this.near = { voxelMm, ...nearestGrid(whole.points, voxelMm) }
  }

  fit(s: SurfaceSamples, m: Motion, toleranceMm: number, firstLook = false): { share: number; rmsMm: number } {
    let fitting = 0,
      total = 0,
      sum = 0
    this.each(s, m, toleranceMm, firstLook, (i, d) => {
      fitting += s.areas[i]
      sum += s.areas[i] * d * d
    })
    for (const a of s.areas) total += a
    return { share: fitting / (total || 1), rmsMm: Math.sqrt(sum / (fitting || 1)) }
  }

  private each(
    s: SurfaceSamples,
    m: Motion,
    toleranceMm: number,
    firstLook: boolean,
    take: (i: number, distance: number, x: number, y: number, z: number, hit: number) => void,
  ): void {
    const { points: q, normals: qn } = this.whole
    const reach2 = (this.reachMm + toleranceMm) ** 2
    for (let i = 0; i < s.areas.length; i++) {
      const k = i * 3
      const [x, y, z] = transformPoint(m, s.points[k], s.points[k + 1], s.points[k + 2])
      const hit = firstLook ? nearestOf(this.near, x, y, z) : this.tree.nearest(x, y, z, reach2)
      if (hit < 0) continue
      const h = hit * 3
      const nx = m[0] * s.normals[k] + m[1] * s.normals[k + 1] + m[2] * s.normals[k + 2]
      const ny = m[4] * s.normals[k] + m[5] * s.normals[k + 1] + m[6] * s.normals[k + 2]
      const nz = m[8] * s.normals[k] + m[9] * s.normals[k + 1] + m[10] * s.normals[k + 2]
      if (nx * qn[h] + ny * qn[h + 1] + nz * qn[h + 2] < 0.7) continue
      const d = (x - q[h]) * qn[h] + (y - q[h + 1]) * qn[h + 1] + (z - q[h + 2]) * qn[h + 2]
      if (Math.abs(d) <= toleranceMm) take(i, d, x, y, z, hit)
    }
  }

  /**
   * Rounds of point-to-plane matching with a narrowing tolerance (Chen and Medioni 1991), and the share that still fits
   * in the last of them.
   */
  refine(
    s: SurfaceSamples,
    start: Motion,
    loose: number,
    tight: number,
    first: number,
    end: number,
    firstLook = false,
  ): { motion: Motion; share: number } {
    let motion = start,
      share = 0
    const equations = new NormalEquations(6),
      { h } = equations
    const x = new Float64Array(6),
      row = new Float64Array(6)
    const c = middleOf(s),
      n = this.whole.normals
    let total = 0
    for (const area of s.areas) total += area
    for (let round = first; round < end; round++) {
      const tolerance = Math.max(2.5 * tight, loose * 0.6 ** round)
      equations.clear()
      let fitting = 0
      const mc = transformPoint(motion, c[0], c[1], c[2])
      this.each(s, motion, tolerance, firstLook, (i, d, px, py, pz, hit) => {
        planeRow(row, px - mc[0], py - mc[1], pz - mc[2], n[hit * 3], n[hit * 3 + 1], n[hit * 3 + 2])
        equations.add(row, d, s.areas[i])
        fitting += s.areas[i]
      })
      share = fitting / (total || 1)
      equations.mirror()
      // A little stiffness, so that what is free does not run away.
      let trace = 0
      for (let r = 0; r < 6; r++) trace += h[r * 7]
      for (let r = 0; r < 6; r++) h[r * 7] += trace * 1e-4
      if (!(trace > 0) || !equations.solve(x)) return { motion, share }
      motion = compose(motionAbout(x, mc), motion)
    }
    return { motion, share }
  }
}
