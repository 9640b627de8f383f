import { checkpoint, type RunContext } from '../context'
import { CellIndex } from '../spatial/cell-index'
import type { FusePoints } from './points'

/** A wall of so many spacings keeps its two sides; a thinner one may merge or get holes. */
export const HELD_SPACINGS = 1.2
/** The two sides of a wall face against each other at least so much (cosine). */
const AGAINST = -0.7
/** The other side is looked for so far to the side of a point, in spacings of the skin … */
const SIDEWAYS = 0.35
/** … or in spacings of the points, whichever is more. */
const SIDEWAYS_POINTS = 2.5
/** So many points of the other side make a wall; fewer are strays. */
const LEAST_POINTS = 3
/** Points that are asked. */
const ASKED = 20_000
/** Nearer than this share of the spacing, the other side is no wall but the same place seen wrongly. */
const LEAST_DEPTH = 0.05

/** Of the walls found so many are thinner than what is told. */
const THINNER = 0.1

/** Walls that a skin of some spacing cannot hold, as the points show them. */
export interface ThinWalls {
  /** Share of the points that lie on such walls. */
  readonly share: number
  /** How thick they are: a tenth of them is thinner, mm; 0 where there are none. */
  readonly thicknessMm: number
}

/** Looks behind points, through the piece, for others that face the other way nearer than a skin can hold apart. */
export function thinWalls(
  { positions: p, normals: n, takes }: FusePoints,
  spacingMm: number,
  context: RunContext,
): ThinWalls {
  const count = p.length / 3
  const most = HELD_SPACINGS * spacingMm
  const sideways = Math.max(SIDEWAYS * spacingMm, ...takes.map((t) => SIDEWAYS_POINTS * t.spacingMm))
  const cells = new CellIndex(p, Math.hypot(most, sideways))
  const every = Math.max(1, Math.ceil(count / ASKED))
  const found: number[] = []
  let asked = 0
  for (let i = 0; i < count; i += every) {
    if (asked++ % 2000 === 0) checkpoint(context, i, count, 'Looking for thin walls')
    const o = i * 3
    let behind = 0,
      depths = 0
    for (const cell of cells.around(p[o], p[o + 1], p[o + 2]))
      for (let k = cells.start[cell]; k < cells.start[cell + 1]; k++) {
        const q = cells.items[k] * 3
        if (n[o] * n[q] + n[o + 1] * n[q + 1] + n[o + 2] * n[q + 2] > AGAINST) continue
        const x = p[o] - p[q],
          y = p[o + 1] - p[q + 1],
          z = p[o + 2] - p[q + 2]
        const depth = x * n[o] + y * n[o + 1] + z * n[o + 2]
        if (depth < LEAST_DEPTH * spacingMm || depth > most) continue
        if (x * x + y * y + z * z - depth * depth > sideways * sideways) continue
        behind++
        depths += depth
      }
    if (behind >= LEAST_POINTS) found.push(depths / behind)
  }
  const sorted = Float64Array.from(found).sort()
  return {
    share: asked > 0 ? sorted.length / asked : 0,
    thicknessMm: sorted.length > 0 ? sorted[Math.floor(THINNER * sorted.length)] : 0,
  }
}
