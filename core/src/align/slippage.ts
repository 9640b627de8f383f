import { planeRow } from './least-squares/plane-row'
import { symmetricEigen } from '../linear/symmetric'

/*
 * What a shared surface leaves free: the eigen-analysis of the point-to-plane problem (Gelfand, Ikemoto, Rusinkiewicz,
 * Levoy 2003, "Geometrically Stable Sampling for the ICP Algorithm", 3DIM; Gelfand and Guibas 2004, "Shape segmentation
 * using local slippage analysis", SGP).
 */

/** Oriented samples with the area each stands for: points n×3 and unit normals n×3, mm; areas n, mm². */
export interface SurfaceSamples {
  readonly points: Float32Array
  readonly normals: Float32Array
  readonly areas: Float64Array
}

export type FreeMotionKind = 'translation' | 'rotation' | 'screw'

/** One motion in piece coordinates: through `point` along `axis`; a screw advances `pitchMm` for each radian. */
export interface FreeMotion {
  readonly kind: FreeMotionKind
  readonly axis: readonly [number, number, number]
  readonly point: readonly [number, number, number]
  readonly pitchMm: number
  /** Nothing holds it (`free`), or only little. */
  readonly free: boolean
  /** One standard deviation at the farthest point of the piece, mm; Infinity where free. */
  readonly playMm: number
  /** How far it can go before nothing is shared any more, mm; Infinity for a rotation about its own axis. */
  readonly boundMm: number
  /**
   * Twist about `point`'s frame: turn (rad) and shift (mm) that move the piece by 1 mm RMS; about the scale's centre.
   */
  readonly twist: Float64Array
}

/** Middle and mean squared extent of a surface: the frame in which motions are weighed. */
export interface SurfaceScale {
  readonly centre: readonly [number, number, number]
  /**
   * Cholesky factor (lower, row-major 6×6) of D, where vᵀDv is the mean squared displacement of the surface under the
   * twist v, mm².
   */
  readonly factor: Float64Array
  /** Directions in which the piece extends: samples for the farthest displacement, n×3 about the centre. */
  readonly reach: Float32Array
}

/**
 * A motion that holds less than this share of what a fully held one would is free: noise of the normals of about 1.8°
 * fakes as much.
 */
export const FREE_SHARE = 1e-3

/** Middle and size of a surface, mm: what turns are reckoned about and weighed by. */
export function surfaceScale(samples: SurfaceSamples): SurfaceScale {
  const { points: p, areas } = samples
  let total = 0
  const c: [number, number, number] = [0, 0, 0]
  for (let i = 0; i < areas.length; i++) {
    total += areas[i]
    for (let k = 0; k < 3; k++) c[k] += areas[i] * p[i * 3 + k]
  }
  for (let k = 0; k < 3; k++) c[k] /= total || 1
  const d = new Float64Array(36)
  for (let i = 0; i < areas.length; i++) {
    const w = areas[i] / (total || 1)
    const x = p[i * 3] - c[0],
      y = p[i * 3 + 1] - c[1],
      z = p[i * 3 + 2] - c[2]
    d[0] += w * (y * y + z * z)
    d[7] += w * (x * x + z * z)
    d[14] += w * (x * x + y * y)
    d[1] -= w * x * y
    d[2] -= w * x * z
    d[8] -= w * y * z
  }
  d[6] = d[1]!
  d[12] = d[2]!
  d[13] = d[8]!
  d[21] = d[28] = d[35] = 1
  const stride = Math.max(1, Math.floor(areas.length / 400))
  const reach: number[] = []
  for (let i = 0; i < areas.length; i += stride) reach.push(p[i * 3] - c[0], p[i * 3 + 1] - c[1], p[i * 3 + 2] - c[2])
  return { centre: c, factor: choleskyFactor(d), reach: Float32Array.from(reach) }
}

/** Lower factor of a 6×6 positive matrix; a surface without extent in some direction gets a hair of it. */
function choleskyFactor(d: Float64Array): Float64Array {
  const l = new Float64Array(36)
  for (let i = 0; i < 6; i++) {
    for (let j = 0; j <= i; j++) {
      let s = d[i * 6 + j]
      for (let k = 0; k < j; k++) s -= l[i * 6 + k] * l[j * 6 + k]
      l[i * 6 + j] = i === j ? Math.sqrt(Math.max(s, 1e-9)) : s / l[j * 6 + j]
    }
  }
  return l
}

/**
 * Stiffness of a shared surface: Σ area·J·Jᵀ in the frame and scale of the whole piece, mm². With it, vᵀKv is the area
 * that a motion of 1 mm RMS would part or press, weighted by how squarely. Row-major 6×6; unknowns turn (3) and shift
 * (3), scaled by the factor of `scale`.
 * @param others normals of the same places as the other take sees them: their noise is independent, so that the product
 * of the two has no false
 *   stiffness from it
 */
export function stiffness(samples: SurfaceSamples, scale: SurfaceScale, others = samples.normals): Float64Array {
  const { points: p, normals: n, areas } = samples
  const k = new Float64Array(36)
  const j = new Float64Array(6),
    h = new Float64Array(6)
  const fill = (row: Float64Array, i: number, m: Float32Array): void => {
    const x = p[i * 3] - scale.centre[0],
      y = p[i * 3 + 1] - scale.centre[1],
      z = p[i * 3 + 2] - scale.centre[2]
    planeRow(row, x, y, z, m[i * 3], m[i * 3 + 1], m[i * 3 + 2])
    forwardSolve(scale.factor, row)
  }
  for (let i = 0; i < areas.length; i++) {
    fill(j, i, n)
    fill(h, i, others)
    for (let r = 0; r < 6; r++)
      for (let s = 0; s <= r; s++) k[r * 6 + s] += 0.5 * areas[i] * (j[r] * h[s] + h[r] * j[s])
  }
  for (let r = 0; r < 6; r++) for (let s = r + 1; s < 6; s++) k[r * 6 + s] = k[s * 6 + r]!
  return k
}

/** L·x = j in place. */
function forwardSolve(l: Float64Array, j: Float64Array): void {
  for (let r = 0; r < 6; r++) {
    let s = j[r]
    for (let q = 0; q < r; q++) s -= l[r * 6 + q] * j[q]
    j[r] = s / l[r * 6 + r]
  }
}

/** Lᵀ·v = u: from the scaled unknowns back to a twist (turn, shift) about the centre. */
function backSolve(l: Float64Array, u: ArrayLike<number>): Float64Array {
  const v = Float64Array.from(u)
  for (let r = 5; r >= 0; r--) {
    let s = v[r]
    for (let q = r + 1; q < 6; q++) s -= l[q * 6 + r] * v[q]
    v[r] = s / l[r * 6 + r]
  }
  return v
}

/** How the measuring noise enters: one independent sample for each patch of `correlationMm`, two noisy takes. */
export interface NoiseModel {
  readonly noiseMm: number
  readonly correlationMm: number
}

export interface Mode {
  /** Effective area that holds it, mm². */
  readonly holdMm2: number
  readonly motion: FreeMotion
}

/** All six motions of one shared surface, the least held first. */
export function slippageModes(samples: SurfaceSamples, scale: SurfaceScale, noise: NoiseModel): Mode[] {
  const shared = samples.areas.reduce((s, a) => s + a, 0)
  const { values, vectors } = symmetricEigen(stiffness(samples, scale), 6)
  return values.map((hold, i) => ({
    holdMm2: hold,
    motion: motionOf(vectors[i], hold, shared, samples, scale, noise),
  }))
}

/** Those that are free. */
export const freeMotions = (modes: readonly Mode[]): FreeMotion[] =>
  modes.filter((m) => m.motion.free).map((m) => m.motion)

/**
 * What kind of motion it is, its axis and place, how far it goes while anything is shared, and how far it moves the
 * farthest point when it moves the piece by 1 mm RMS.
 */
export interface MotionShape extends Omit<FreeMotion, 'free' | 'playMm'> {
  readonly farMm: number
}

/** A direction of the six in the terms of a screw: axis, turn and shift. */
export function motionOf(
  unknowns: ArrayLike<number>,
  holdMm2: number,
  sharedMm2: number,
  samples: SurfaceSamples,
  scale: SurfaceScale,
  noise: NoiseModel,
): FreeMotion {
  const { farMm, ...shape } = motionShape(unknowns, samples, scale)
  const free = holdMm2 < FREE_SHARE * sharedMm2 || sharedMm2 === 0
  // Information: one sample per correlation patch, each with the noise of both takes.
  const information = holdMm2 / (noise.correlationMm ** 2 * 2 * noise.noiseMm ** 2)
  return { ...shape, free, playMm: free ? Infinity : farMm / Math.sqrt(information) }
}

/** What kind of motion it is: a shift, a turn, or both. */
export function motionShape(
  unknowns: ArrayLike<number>,
  samples: Pick<SurfaceSamples, 'points'>,
  scale: SurfaceScale,
): MotionShape {
  const twist = backSolve(scale.factor, unknowns)
  const [wx, wy, wz, tx, ty, tz] = twist as unknown as [number, number, number, number, number, number]
  let farMm = 0
  const { reach } = scale
  let size = 0
  for (let i = 0; i < reach.length; i += 3) {
    const x = reach[i],
      y = reach[i + 1],
      z = reach[i + 2]
    farMm = Math.max(farMm, Math.hypot(tx + wy * z - wz * y, ty + wz * x - wx * z, tz + wx * y - wy * x))
    size = Math.max(size, Math.hypot(x, y, z))
  }
  const turn = Math.hypot(wx, wy, wz),
    shift = Math.hypot(tx, ty, tz)
  const c = scale.centre
  if (turn * size < 0.02 * shift) {
    const axis = [tx / shift, ty / shift, tz / shift] as const
    return { kind: 'translation', axis, point: [...c], pitchMm: Infinity, farMm, boundMm: extent(samples, axis), twist }
  }
  const axis = [wx / turn, wy / turn, wz / turn] as const
  const along = tx * axis[0] + ty * axis[1] + tz * axis[2]
  // The axis passes where the shift across it vanishes: ω × t / |ω|².
  const point = [
    c[0] + (wy * tz - wz * ty) / turn ** 2,
    c[1] + (wz * tx - wx * tz) / turn ** 2,
    c[2] + (wx * ty - wy * tx) / turn ** 2,
  ] as const
  const pitchMm = along / turn
  const kind = Math.abs(pitchMm) < 0.02 * size ? 'rotation' : 'screw'
  return {
    kind,
    axis,
    point,
    pitchMm: kind === 'rotation' ? 0 : pitchMm,
    farMm,
    boundMm: kind === 'rotation' ? Infinity : extent(samples, axis),
    twist,
  }
}

function extent(samples: Pick<SurfaceSamples, 'points'>, axis: readonly [number, number, number]): number {
  let low = Infinity,
    high = -Infinity
  const p = samples.points
  for (let i = 0; i < p.length; i += 3) {
    const s = p[i] * axis[0] + p[i + 1] * axis[1] + p[i + 2] * axis[2]
    low = Math.min(low, s)
    high = Math.max(high, s)
  }
  return high > low ? high - low : 0
}
