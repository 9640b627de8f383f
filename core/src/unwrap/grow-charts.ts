import { checkpoint, type RunContext } from '../context'
import type { Facets } from '../mesh/facets'
import { CostHeap } from '../spatial/cost-heap'

/** Faces, and the half-edge across each half-edge; less than 0: none. */
export interface LinkedFacets extends Facets {
  readonly twin: Int32Array
}

/** A face may lean so far from its chart's axis (cosine; 50°): it is drawn out by 1.56 at most. */
const CONE = Math.cos((50 * Math.PI) / 180)
/** How much dearer a way is over faces that lean. */
const LEAN = 4
/** Times the seeds are laid into the middle of their charts and all is grown anew (Lloyd 1982). */
const ROUNDS = 3

interface Seeds {
  readonly faces: number[]
  /** Axis of each, three numbers. */
  readonly axes: number[]
}

/**
 * Parts of a surface that are nearly flat and about round: grown from seeds by the shortest way, dearer where faces
 * lean, within a cone about each one's axis and a reach, with seeds laid anew into the middle (after Lévy et al. 2002
 * and Sander et al. 2003, "Multi-chart geometry images").
 * @param only the faces that are wanted (1); others belong to no chart @param reachMm farthest from the seed
 * @returns the chart of each face, from 0, −1 for none, and their number
 */
export function growCharts(
  facets: LinkedFacets,
  only: Uint8Array | null,
  reachMm: number,
  context: RunContext,
): { of: Int32Array; count: number } {
  const n = facets.areas.length
  let seeds: Seeds = { faces: [], axes: [] }
  let of: Int32Array = new Int32Array(n)
  for (let round = 0; round <= ROUNDS; round++) {
    checkpoint(context, round, ROUNDS + 1, 'Laying the surface out in charts')
    of = grown(facets, only, reachMm, seeds)
    if (round < ROUNDS) seeds = middlesOf(facets, of, seeds.faces.length)
  }
  return { of, count: seeds.faces.length }
}

/** All charts at once from their seeds; what none of them reaches gets seeds of its own, which are added. */
function grown(
  { normals: n, middles: m, areas, twin }: LinkedFacets,
  only: Uint8Array | null,
  reachMm: number,
  seeds: Seeds,
): Int32Array {
  const of = new Int32Array(areas.length).fill(-1)
  const heap = new CostHeap(twin.length)
  const cost = new Float64Array(areas.length)
  const leave = (f: number): void => {
    const c = of[f],
      s = seeds.faces[c] * 3
    const ax = seeds.axes[c * 3],
      ay = seeds.axes[c * 3 + 1],
      az = seeds.axes[c * 3 + 2]
    for (let h = f * 3; h < f * 3 + 3; h++) {
      if (twin[h] < 0) continue
      const g = Math.floor(twin[h] / 3)
      if (of[g] >= 0 || (only && !only[g])) continue
      const k = g * 3
      const facing = n[k] * ax + n[k + 1] * ay + n[k + 2] * az
      if (facing < CONE) continue
      // Roots of squares by hand: this runs three times a face and round.
      let dx = m[k] - m[s],
        dy = m[k + 1] - m[s + 1],
        dz = m[k + 2] - m[s + 2]
      if (dx * dx + dy * dy + dz * dz > reachMm * reachMm) continue
      dx = m[k] - m[f * 3]
      dy = m[k + 1] - m[f * 3 + 1]
      dz = m[k + 2] - m[f * 3 + 2]
      heap.push(h, cost[f] + Math.sqrt(dx * dx + dy * dy + dz * dz) * (1 + LEAN * (1 - facing)))
    }
  }
  const settle = (): void => {
    while (heap.size > 0) {
      const h = heap.top()
      const paid = heap.topCost()
      heap.pop()
      const g = Math.floor(twin[h] / 3)
      if (of[g] >= 0) continue
      of[g] = of[Math.floor(h / 3)]
      cost[g] = paid
      leave(g)
    }
  }
  const begin = (f: number, c: number): void => {
    of[f] = c
    cost[f] = 0
  }
  seeds.faces.forEach((f, c) => begin(f, c))
  seeds.faces.forEach((f) => leave(f))
  settle()
  for (let f = 0; f < of.length; f++) {
    if (of[f] >= 0 || (only && !only[f])) continue
    begin(f, seeds.faces.length)
    seeds.faces.push(f)
    seeds.axes.push(n[f * 3], n[f * 3 + 1], n[f * 3 + 2])
    leave(f)
    settle()
  }
  return of
}

/** The face of each chart that lies nearest to its middle, with the mean of its normals as its axis. */
function middlesOf({ normals: n, middles: m, areas }: Facets, of: Int32Array, count: number): Seeds {
  const sums = new Float64Array(count * 7)
  for (let f = 0; f < of.length; f++) {
    if (of[f] < 0) continue
    const s = of[f] * 7
    for (let c = 0; c < 3; c++) {
      sums[s + c] += areas[f] * m[f * 3 + c]
      sums[s + 3 + c] += areas[f] * n[f * 3 + c]
    }
    sums[s + 6] += areas[f]
  }
  const best = new Int32Array(count).fill(-1),
    off = new Float64Array(count).fill(Infinity)
  const axes: number[] = []
  for (let c = 0; c < count; c++) {
    const s = c * 7
    const l = Math.hypot(sums[s + 3], sums[s + 4], sums[s + 5]) || 1
    axes.push(sums[s + 3] / l, sums[s + 4] / l, sums[s + 5] / l)
    const a = sums[s + 6] || 1
    for (let k = 0; k < 3; k++) sums[s + k] /= a
  }
  for (let f = 0; f < of.length; f++) {
    const c = of[f]
    if (c < 0) continue
    const facing = n[f * 3] * axes[c * 3] + n[f * 3 + 1] * axes[c * 3 + 1] + n[f * 3 + 2] * axes[c * 3 + 2]
    // A seed must lie in its own cone.
    const dx = m[f * 3] - sums[c * 7],
      dy = m[f * 3 + 1] - sums[c * 7 + 1],
      dz = m[f * 3 + 2] - sums[c * 7 + 2]
    const d = dx * dx + dy * dy + dz * dz + (facing < CONE ? 1e18 : 0)
    if (d < off[c]) {
      off[c] = d
      best[c] = f
    }
  }
  return { faces: Array.from(best), axes }
}
