import { GeometryError } from '../../errors'
import { solveCholesky } from '../../linear/cholesky'
import { meanPoint } from '../../linear/mean-point'
import { compose, identityMotion, type Motion } from '../../linear/rigid'
import { median } from '../../linear/samples'
import { ALONG, APART2, noPairs, PAIR_SIZE, pairDirection } from '../least-squares/directed-pairs'
import { dampTwist, NormalEquations } from '../least-squares/normal-equations'
import { addPairs, TUKEY } from '../least-squares/plane-row'
import { motionAbout } from '../least-squares/twist'
import type { OrientedCloud } from '../oriented-cloud'

/** What one level of the match looks at. */
export interface Level {
  readonly forward: Int32Array | null
  readonly backward: Int32Array | null
  readonly minCosine: number
  readonly maxIterations: number
  readonly toleranceMm: number
}

/** Pairs of one round and the 6×6 problem they make; buffers are kept between rounds. */
export class PairSolver {
  scatterMm = 0
  readonly centre: [number, number, number]
  private forward = noPairs(NONE)
  private backward = noPairs(NONE)
  private readonly equations = new NormalEquations(6)
  private readonly lastTwist = new Float64Array(6)

  constructor(
    private readonly source: OrientedCloud,
    private readonly target: OrientedCloud,
    private readonly sizeMm: number,
  ) {
    this.centre = meanPoint(target.positions)
  }

  get count(): number {
    return this.forward.count + this.backward.count
  }

  get normalMatrix(): Float64Array {
    return this.equations.h
  }

  reset(level: Level): void {
    this.lastTwist.fill(0)
    this.forward = noPairs(level.forward ?? NONE)
    this.backward = noPairs(level.backward ?? NONE)
  }

  gather(level: Level, motion: Motion, limitMm: number): number {
    const { source, target, forward, backward, centre, sizeMm } = this
    pairDirection(forward, source, target, motion, STILL, limitMm, centre, sizeMm, level.minCosine)
    pairDirection(backward, target, source, STILL, motion, limitMm, centre, sizeMm, level.minCosine)
    return this.count
  }

  solve(
    motion: Motion,
    stride: number,
  ): { motion: Motion; shiftMm: number; medianDistanceMm: number; alongPrevious: boolean } {
    const { equations: eq, sizeMm } = this
    const { residuals, distances2 } = this.sampled()
    this.scatterMm = 1.4826 * median(residuals)
    // Noise-free data must not turn every weight to zero.
    const limit = TUKEY * Math.max(this.scatterMm, sizeMm * 1e-7)
    eq.clear()
    addPairs(eq, this.forward, 1, limit)
    addPairs(eq, this.backward, -1, limit)
    eq.mirror()
    const twist = solveHeld(eq)
    // Turns count by what they move at half the piece's size.
    const arm = sizeMm / 2
    let along = 0,
      own = 0,
      before = 0
    for (let c = 0; c < 6; c++) {
      const w = c < 3 ? arm * arm : 1
      along += w * twist[c] * this.lastTwist[c]
      own += w * twist[c] * twist[c]
      before += w * this.lastTwist[c] * this.lastTwist[c]
    }
    const alongPrevious = along > 0.8 * Math.sqrt(own * before) && before > 0
    this.lastTwist.set(twist)
    const turn = Math.hypot(twist[0], twist[1], twist[2])
    const shift = Math.hypot(twist[3], twist[4], twist[5])
    for (let c = 0; c < 6; c++) twist[c] *= stride
    return {
      motion: compose(motionAbout(twist, this.centre), motion),
      shiftMm: shift + turn * arm,
      medianDistanceMm: Math.sqrt(median(distances2)),
      alongPrevious,
    }
  }

  /** Up to about 4000 of the pairs, evenly: their distances along the normal, and squared. */
  private sampled(): { residuals: Float64Array; distances2: Float64Array } {
    const { forward, backward, count } = this
    const step = Math.max(1, Math.floor(count / 4000))
    const n = Math.ceil(count / step)
    const residuals = new Float64Array(n),
      distances2 = new Float64Array(n)
    for (let k = 0; k < n; k++) {
      const i = k * step
      const [of, at] = i < forward.count ? [forward, i] : [backward, i - forward.count]
      residuals[k] = Math.abs(of.pair[at * PAIR_SIZE + ALONG])
      distances2[k] = of.pair[at * PAIR_SIZE + APART2]
    }
    return { residuals, distances2 }
  }
}

const NONE = new Int32Array(0)
const STILL = identityMotion()

/** A motion the surface leaves free must not run away: the least damping that keeps the system solvable. */
function solveHeld({ h, g }: NormalEquations): Float64Array {
  const twist = new Float64Array(6)
  let damped = h
  for (let damping = 1e-9; !solveCholesky(damped, g, twist, 6); damping *= 100) {
    damped = h.slice()
    dampTwist(damped, damping, 1e-12)
    if (damping > 1) throw new GeometryError('DEGENERATE', 'The common surface does not say how the takes fit.')
  }
  return twist
}
