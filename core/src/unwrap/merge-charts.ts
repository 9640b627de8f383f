import type { LinkedFacets } from './grow-charts'

/** A chart under this share of what its reach would hold is given to a neighbour. */
const SMALL = 0.05
/** Its faces must not lean farther from that one's axis than this (cosine; 75°). */
const LEAN = Math.cos((75 * Math.PI) / 180)

/**
 * Gives small charts to the neighbour they share the longest border with, where all their faces are seen from its side:
 * slivers and crumbs of noise would be charts of their own. Numbers are given anew, without gaps.
 * @param of the chart of each face, −1 for none; written
 * @returns their number
 */
export function mergeSmallCharts(facets: LinkedFacets, of: Int32Array, count: number, reachMm: number): number {
  const { normals: n, areas, twin } = facets
  const area = new Float64Array(count),
    axis = new Float64Array(count * 3)
  const faces: number[][] = Array.from({ length: count }, () => [])
  for (let f = 0; f < of.length; f++) {
    const c = of[f]
    if (c < 0) continue
    area[c] += areas[f]
    faces[c].push(f)
    for (let k = 0; k < 3; k++) axis[c * 3 + k] += areas[f] * n[f * 3 + k]
  }
  const least = SMALL * Math.PI * reachMm * reachMm
  const small = [...area.keys()].filter((c) => area[c] < least).sort((a, b) => area[a] - area[b])
  for (const c of small) {
    if (area[c] >= least) continue
    const shared = new Map<number, number>()
    for (const f of faces[c])
      for (let h = f * 3; h < f * 3 + 3; h++) {
        const d = twin[h] < 0 ? -1 : of[Math.floor(twin[h] / 3)]
        if (d >= 0 && d !== c) shared.set(d, (shared.get(d) ?? 0) + 1)
      }
    const takers = [...shared].sort((a, b) => b[1] - a[1] || a[0] - b[0])
    const taker = takers.find(([d]) => {
      const [x, y, z] = axis.subarray(d * 3, d * 3 + 3)
      const l = Math.hypot(x, y, z) * LEAN
      return faces[c].every((f) => areas[f] === 0 || n[f * 3] * x + n[f * 3 + 1] * y + n[f * 3 + 2] * z >= l)
    })?.[0]
    if (taker === undefined) continue
    for (const f of faces[c]) {
      of[f] = taker
      faces[taker].push(f)
    }
    faces[c] = []
    area[taker] += area[c]
    area[c] = 0
    for (let k = 0; k < 3; k++) axis[taker * 3 + k] += axis[c * 3 + k]
  }
  let next = 0
  for (const list of faces) {
    if (list.length === 0) continue
    for (const f of list) of[f] = next
    next++
  }
  return next
}
