import { faceCross } from '../linear/face-cross'
import type { BoundaryLoop } from '../mesh/topology'
import { joinRings } from './join-rings'
import { triangulateRing } from './triangulate-ring'

/** Two rims belong together where a band between them has less than so much of the area of two caps. */
const LESS_THAN_CAPS = 0.6
/** Rims that are looked at, the longest first, and points of one: more would take longer than they are worth. */
const MOST_RIMS = 40
const MOST_POINTS = 600

/**
 * Rims that face each other across a gap, as they do where surfaces that went through each other were cut free.
 * @param isAsked of a loop, by its place in the list
 * @returns for each loop the one it faces, −1 for none
 */
export function facingRims(
  p: Float32Array,
  loops: readonly BoundaryLoop[],
  isAsked: (loop: number) => boolean,
  isEdge: (a: number, b: number) => boolean,
): Int32Array {
  const out = new Int32Array(loops.length).fill(-1)
  const asked = [...loops.keys()]
    .filter((i) => isAsked(i) && loops[i].vertices.length <= MOST_POINTS)
    .slice(0, MOST_RIMS)
  const area = (ring: Int32Array): number => {
    const places = triangulateRing(p, ring, { isEdge })
    const cross = new Float64Array(3)
    let twice = 0
    if (!places) return Infinity
    for (let f = 0; f < places.length; f += 3)
      twice += faceCross(p, ring[places[f]] * 3, ring[places[f + 1]] * 3, ring[places[f + 2]] * 3, cross)
    return twice / 2
  }
  const spans = new Map(asked.map((i) => [i, spanOf(p, loops[i].vertices)]))
  const caps = new Map<number, number>()
  const capOf = (i: number): number => {
    let known = caps.get(i)
    if (known === undefined) caps.set(i, (known = area(loops[i].vertices)))
    return known
  }
  const pairs: { i: number; k: number; ratio: number }[] = []
  asked.forEach((i, n) => {
    for (const k of asked.slice(n + 1)) {
      const [a, b] = [spans.get(i)!, spans.get(k)!]
      if (Math.hypot(...a.middle.map((v, c) => v - b.middle[c])) > a.radiusMm + b.radiusMm) continue
      const ring = joinRings(p, loops[i].vertices, loops[k].vertices, isEdge)
      const ratio = ring ? area(ring) / (capOf(i) + capOf(k)) : Infinity
      if (ratio < LESS_THAN_CAPS) pairs.push({ i, k, ratio })
    }
  })
  for (const { i, k } of pairs.sort((a, b) => a.ratio - b.ratio))
    if (out[i] < 0 && out[k] < 0) {
      out[i] = k
      out[k] = i
    }
  return out
}

function spanOf(p: Float32Array, loop: Int32Array): { middle: readonly number[]; radiusMm: number } {
  const middle = [0, 1, 2].map((c) => loop.reduce((sum, v) => sum + p[v * 3 + c], 0) / loop.length)
  let radiusMm = 0
  for (const v of loop) radiusMm = Math.max(radiusMm, Math.hypot(...middle.map((m, c) => p[v * 3 + c] - m)))
  return { middle, radiusMm }
}
