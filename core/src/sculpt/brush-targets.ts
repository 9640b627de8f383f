import { QuadricFit } from '../cloud/quadric'
import { across } from '../linear/across'
import { nextHalf, previousHalf } from '../mesh/half-edges'
import type { VertexRings } from '../mesh/vertex-rings'
import type { Form } from './brush-forms'

/* Where brushes would have the points under them. */

/** What a dab covers. */
export interface Footprint {
  readonly p: Float32Array
  readonly n: Float32Array
  /** The vertices under it, and how much each counts, 1 in the middle to 0 at the rim. */
  readonly list: Int32Array
  readonly weights: Float64Array
}

/** Rounds of weighing down what lies under the surface that is to be filled up to. */
const FILL_ROUNDS = 5
/** What lies under it counts so much less for each share of the pits' depth. */
const PIT_DEPTHS = 0.5
/** Farther than half the way to the middle of the neighbours, a pass makes ripples. */
const FULL_STEP = 0.5
/** Passes of smoothing a dab makes at most. */
const MOST_PASSES = 12
/** A pass smooths over about an edge: a dab so many edges wide makes one pass more. */
const EDGES_A_PASS = 2

/**
 * Towards the middle of their neighbours, several times where the triangles are small beside the brush (the umbrella
 * operator: Kobbelt et al. 1998, Interactive multi-resolution modeling on arbitrary meshes). Points of a border stay.
 * @param share of the way a pass goes, 0–1 @param to xyz of each vertex of the list, written
 */
export function smoothed(
  { p, list, weights }: Footprint,
  { start, items }: VertexRings,
  indices: Uint32Array,
  held: Uint8Array,
  share: number,
  radiusMm: number,
  to: Float64Array,
): void {
  let edges = 0,
    length = 0
  for (let i = 0; i < list.length; i++) {
    const v = list[i]
    for (let c = 0; c < 3; c++) to[i * 3 + c] = p[v * 3 + c]!
    if (start[v] === start[v + 1]) continue
    const u = indices[nextHalf(items[start[v]])]
    length += Math.sqrt(
      (p[u * 3] - p[v * 3]) ** 2 + (p[u * 3 + 1] - p[v * 3 + 1]) ** 2 + (p[u * 3 + 2] - p[v * 3 + 2]) ** 2,
    )
    edges++
  }
  const place = new Map<number, number>()
  for (let i = 0; i < list.length; i++) place.set(list[i], i)
  const wide = edges > 0 && length > 0 ? (radiusMm * edges) / length : 1
  const passes = Math.max(1, Math.min(MOST_PASSES, Math.round(wide / EDGES_A_PASS)))
  const next = new Float64Array(list.length * 3)
  for (let pass = 0; pass < passes; pass++) {
    for (let i = 0; i < list.length; i++) {
      const v = list[i]
      let x = 0,
        y = 0,
        z = 0,
        n = 0
      for (let k = start[v]; k < start[v + 1]; k++)
        for (let side = 0; side < 2; side++) {
          const u = indices[side === 0 ? nextHalf(items[k]) : previousHalf(items[k])]
          const j = place.get(u)
          x += j === undefined ? p[u * 3] : to[j * 3]
          y += j === undefined ? p[u * 3 + 1] : to[j * 3 + 1]
          z += j === undefined ? p[u * 3 + 2] : to[j * 3 + 2]
          n++
        }
      const k = n > 0 && !held[v] ? FULL_STEP * share * weights[i] : 0
      next[i * 3] = to[i * 3] + (n > 0 ? k * (x / n - to[i * 3]) : 0)
      next[i * 3 + 1] = to[i * 3 + 1] + (n > 0 ? k * (y / n - to[i * 3 + 1]) : 0)
      next[i * 3 + 2] = to[i * 3 + 2] + (n > 0 ? k * (z / n - to[i * 3 + 2]) : 0)
    }
    to.set(next)
  }
}

/**
 * Up to the surface that runs over the pits under a dab: a quadric through what lies highest, found by weighing down,
 * round by round, what lies under it. Nothing is lowered.
 * @param side which way is up: unit @param to xyz of each vertex of the list, written
 * @returns whether there was enough surface to tell
 */
export function filledUp(
  { p, list, weights }: Footprint,
  middle: readonly [number, number, number],
  side: readonly [number, number, number],
  share: number,
  to: Float64Array,
): boolean {
  const frame = new Float64Array(6)
  across(side[0], side[1], side[2], frame)
  const n = list.length
  const u = new Float64Array(n),
    v = new Float64Array(n),
    h = new Float64Array(n)
  for (let i = 0; i < n; i++) {
    const k = list[i] * 3
    const x = p[k] - middle[0],
      y = p[k + 1] - middle[1],
      z = p[k + 2] - middle[2]
    u[i] = frame[0] * x + frame[1] * y + frame[2] * z
    v[i] = frame[3] * x + frame[4] * y + frame[5] * z
    h[i] = side[0] * x + side[1] * y + side[2] * z
  }
  const fit = new QuadricFit()
  const w = weights.slice()
  for (let round = 0; round < FILL_ROUNDS; round++) {
    fit.begin()
    for (let i = 0; i < n; i++) fit.add(u[i], v[i], h[i], w[i])
    if (!fit.solve()) return false
    let depth = 0,
      pits = 0
    for (let i = 0; i < n; i++) {
      const under = fit.at(u[i], v[i]) - h[i]
      if (under <= 0) continue
      depth += under
      pits++
    }
    const usual = pits > 0 ? (PIT_DEPTHS * depth) / pits : 0
    if (!(usual > 0)) break
    for (let i = 0; i < n; i++) {
      const under = fit.at(u[i], v[i]) - h[i]
      w[i] = under > 0 ? weights[i] / (1 + (under / usual) ** 2) ** 2 : weights[i]
    }
  }
  for (let i = 0; i < n; i++) {
    const k = list[i] * 3
    const under = Math.max(0, fit.at(u[i], v[i]) - h[i]) * share * weights[i]
    for (let c = 0; c < 3; c++) to[i * 3 + c] = p[k + c] + under * side[c]
  }
  return true
}

/** Towards a form, by so much of the way. */
export function laidOnto(form: Form, { p, list, weights }: Footprint, share: number, to: Float64Array): void {
  const way = new Float64Array(3)
  for (let i = 0; i < list.length; i++) {
    const v = list[i] * 3
    form.way(p[v], p[v + 1], p[v + 2], way)
    for (let c = 0; c < 3; c++) to[i * 3 + c] = p[v + c] + share * weights[i] * way[c]
  }
}
