import type { Motion } from '../../linear/rigid'
import { median } from '../../linear/samples'
import { ALONG, noPairs, PAIR_SIZE, pairDirection } from '../least-squares/directed-pairs'
import { dampTwist, NormalEquations } from '../least-squares/normal-equations'
import { addPairs, TUKEY } from '../least-squares/plane-row'
import type { OrientedCloud } from '../oriented-cloud'

/** What the surface leaves free is no error: this share of damping holds it at nothing. */
const DAMPING = 1e-3
/** Where neighbours share less the ring is open, and closes nothing. */
const MIN_PAIRS = 30
const SAMPLES = 600

/**
 * Each frame matched on its next one round the ring: what the small motions that they alone want do not add up to, mm
 * at a radius.
 * @param frames in the order of the ring @param motions frame → common frame
 */
export function ringClosingMm(
  frames: readonly OrientedCloud[],
  motions: readonly Motion[],
  centre: readonly number[],
  radiusMm: number,
  reachMm: number,
): number {
  const sum = new Float64Array(6),
    step = new Float64Array(6)
  const equations = new NormalEquations(6)
  frames.forEach((frame, f) => {
    const next = (f + 1) % frames.length
    const d = noPairs(someOf(frame.features.order))
    pairDirection(d, frame, frames[next], motions[f], motions[next], reachMm, centre, 0)
    if (d.count < MIN_PAIRS) return
    const along = Float64Array.from({ length: d.count }, (_, k) => Math.abs(d.pair[k * PAIR_SIZE + ALONG]))
    equations.clear()
    addPairs(equations, d, 1, TUKEY * Math.max(1.4826 * median(along), 1e-6))
    equations.mirror()
    dampTwist(equations.h, DAMPING, 1e-9)
    if (equations.solve(step)) step.forEach((v, c) => (sum[c] += v))
  })
  return Math.hypot(sum[0], sum[1], sum[2]) * radiusMm + Math.hypot(sum[3], sum[4], sum[5])
}

function someOf(order: Int32Array): Int32Array {
  const n = Math.min(SAMPLES, order.length)
  return Int32Array.from({ length: n }, (_, k) => order[Math.floor(((k + 0.5) * order.length) / n)])
}
