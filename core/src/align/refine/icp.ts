import { checkpoint, type RunContext } from '../../context'
import { GeometryError } from '../../errors'
import { compose, invertRigid, orthonormalise, transformPoint, type Motion } from '../../linear/rigid'
import { evenSample, type OrientedCloud } from '../oriented-cloud'
import { PairSolver, type Level } from './pair-solver'

export interface IcpOptions {
  /** Farthest a pair may be apart in the first round, mm. @defaultValue a tenth of the piece's size */
  readonly maxPairDistanceMm?: number
  /** @defaultValue 60 */
  readonly maxIterations?: number
  /**
   * How many points have a say in the end: an even sample, for looking at a pose; each fifth, for telling how it lies;
   * all, for keeping it. @defaultValue 'all'
   */
  readonly upTo?: 'sample' | 'fifth' | 'all'
}

export const ICP_DEFAULTS = { maxIterations: 60 } as const

export type StopReason = 'converged' | 'iterations' | 'no overlap'

export interface IcpResult {
  /** source → target */
  readonly motion: Motion
  readonly iterations: number
  readonly stop: StopReason
  /** Pairs of the last round. */
  readonly pairs: number
  /** Robust scatter (1.4826 · median absolute deviation) of the last round's residuals, mm. */
  readonly scatterMm: number
  /**
   * 6×6 normal matrix of the last round about `centreMm`, rotation first, unit weights times Tukey's: information when
   * divided by variance.
   */
  readonly normalMatrix: Float64Array
  readonly centreMm: readonly [number, number, number]
}

/**
 * Pairs whose normals differ by more cannot be the same surface: 60° while coarse, 45° in the end (the contract's
 * overlap angle).
 */
const COARSE_COSINE = 0.5
const FINE_COSINE = Math.SQRT1_2

/**
 * A round that moves less than this many times what the points' scatter leaves uncertain anyway has settled: in the
 * last level, and before it.
 */
const SETTLED = 0.3
const SETTLED_COARSE = 3
/** Longest stride when successive rounds go on in the same direction. */
const MAX_STRIDE = 1.5

/**
 * Fine matching: iterated closest points with the symmetric plane-to-plane objective of Rusinkiewicz 2019 ("A symmetric
 * objective function for ICP", ACM TOG 38(4)), coarse to fine, Tukey-weighted, pairs at the rim of the data left out,
 * each point of the sparser take once in the last level (so that it does not matter which take is fixed).
 *
 * Points in mm; `initial` takes source to target. Neither cloud is changed.
 * @throws NO_OVERLAP when fewer than 20 pairs are left at the start
 */
export function matchFine(
  source: OrientedCloud,
  target: OrientedCloud,
  initial: Motion,
  options: IcpOptions,
  context: RunContext,
): IcpResult {
  const size = Math.max(source.sizeMm, target.sizeMm)
  const maxIterations = options.maxIterations ?? ICP_DEFAULTS.maxIterations
  const spacing = Math.max(source.features.spacingMm, target.features.spacingMm)
  const floor = 2.5 * spacing + 3 * Math.max(source.features.noiseMm, target.features.noiseMm)
  const fewer = source.positions.length <= target.positions.length
  // Each point of the sparser take once: the other direction would mostly repeat the same pairs.
  const oneSide = (nth: number, rounds: number, toleranceMm: number): Level => ({
    forward: fewer ? everyNth(source.features.order, nth) : null,
    backward: fewer ? null : everyNth(target.features.order, nth),
    minCosine: FINE_COSINE,
    maxIterations: rounds,
    toleranceMm,
  })
  const levels: Level[] = [
    {
      forward: evenSample(source, 1 / 40),
      backward: null,
      minCosine: COARSE_COSINE,
      maxIterations,
      toleranceMm: size * 3e-4,
    },
    {
      forward: evenSample(source, 1 / 100),
      backward: null,
      minCosine: COARSE_COSINE,
      maxIterations,
      toleranceMm: size * 3e-5,
    },
    ...(options.upTo === 'sample' ? [] : [oneSide(5, maxIterations, size * 1e-6)]),
    ...(options.upTo === 'sample' || options.upTo === 'fifth' ? [] : [oneSide(1, maxIterations, size * 1e-7)]),
  ]
  const solver = new PairSolver(source, target, size)
  let motion: Motion = Float64Array.from(initial)
  let limit = options.maxPairDistanceMm ?? size * 0.1
  let iterations = 0
  let stop: StopReason = 'iterations'
  for (let l = 0; l < levels.length; l++) {
    const level = levels[l]
    solver.reset(level)
    let previous = Infinity
    let stride = 1
    stop = 'iterations'
    for (let i = 0; i < level.maxIterations; i++) {
      checkpoint(context, l + i / level.maxIterations, levels.length, 'Matching the surfaces')
      const found = solver.gather(level, motion, Math.max(limit, floor))
      if (found < 20) {
        if (l === 0 && i === 0)
          throw new GeometryError(
            'NO_OVERLAP',
            'The two takes have no common surface near this start. Place them closer or pick three pairs.',
          )
        stop = 'no overlap'
        break
      }
      // New pairs take back a steady share of each round's way; going that much farther at once saves rounds (Aitken's
      // extrapolation).
      const step = solver.solve(motion, stride)
      motion = orthonormalise(step.motion)
      iterations++
      // Farthest point of the piece, moved by this step.
      const moved = step.shiftMm
      // Pairs farther than four times the usual distance are the other take's own ground.
      limit = Math.min(limit, Math.max(floor, 4 * step.medianDistanceMm))
      const last = l === levels.length - 1
      const settledMm = ((last ? SETTLED : SETTLED_COARSE) * solver.scatterMm) / Math.sqrt(solver.count)
      if (
        moved < Math.max(level.toleranceMm, settledMm) ||
        (last && moved > previous * 0.9 && moved < size * 1e-5 && i > 8)
      ) {
        stop = 'converged'
        break
      }
      stride = l >= 2 && step.alongPrevious && moved < previous ? Math.min(MAX_STRIDE, 1 / (1 - moved / previous)) : 1
      previous = moved
    }
    if (stop === 'no overlap') break
  }
  return {
    motion,
    iterations,
    stop,
    pairs: solver.count,
    scatterMm: solver.scatterMm,
    normalMatrix: solver.normalMatrix.slice(),
    centreMm: solver.centre,
  }
}

/** Each n-th entry: points in the order of their cells, so the sample is spread evenly and stays local in memory. */
function everyNth(ids: Int32Array, n: number): Int32Array {
  const out = new Int32Array(Math.ceil(ids.length / n))
  for (let i = 0; i < out.length; i++) out[i] = ids[i * n]!
  return out
}

/** How far any point within `sizeMm`/2 of `centre` lands apart under two motions, mm (upper bound). */
export function motionDifferenceMm(a: Motion, b: Motion, centre: readonly number[], sizeMm: number): number {
  const delta = compose(invertRigid(a), b)
  const [x, y, z] = transformPoint(delta, centre[0], centre[1], centre[2])
  const trace = delta[0] + delta[5] + delta[10]
  const angle = Math.acos(Math.max(-1, Math.min(1, (trace - 1) / 2)))
  return Math.hypot(x - centre[0], y - centre[1], z - centre[2]) + (angle * sizeMm) / 2
}
