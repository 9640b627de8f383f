import { checkpoint, stage, type RunContext } from '../context'
import { median } from '../linear/samples'
import { findCrossings } from '../mesh/crossings'
import type { TriangleMesh } from '../shapes'
import { CellIndex } from '../spatial/cell-index'
import type { OrientedPoints } from './ball'
import { CORNER, cutIn, ON_LINE, type CutMesh } from './cut-in'
import { networkOf } from './network'
import { lookForEdges, type Places } from './places'
import { settle } from './settle'

/** How readily an edge is believed. */
export type EdgeChoice = 'off' | 'careful' | 'strong'

/** The least angle an edge turns by, degrees. */
export const LEAST_ANGLE = { careful: 40, strong: 25 } as const

/** The edges of the piece, as lines over its skin. */
export interface EdgeLines {
  /** Pairs of places, six numbers each, mm. */
  readonly segments: Float32Array
  readonly lengthMm: number
  /** Length by the way they turn, mm. */
  readonly outwardMm: number
  readonly inwardMm: number
  readonly corners: number
  /** Mean angle by which the surface turns there, degrees, by length. */
  readonly meanAngle: number
  /** Of what was seen of edges, the share that was left round, because faces would have turned over or crossed there. */
  readonly leftRound: number
}

/** So often edges are put in again without the places where faces came out turned or crossing. */
const ATTEMPTS = 6
/** What is near such a place has no edge then, in edges of the mesh. */
const GIVE_BACK = 1.5

/**
 * Puts the edges that the measured points tell of into a skin: its own edges run along them, its points beside them lie
 * on the sheets that meet there. Where that makes faces turn over or cross, the skin stays as it was.
 * @param points all takes' points where the skin lies
 * @throws SHAPE the mesh is no surface
 */
export function keepEdges(
  mesh: TriangleMesh,
  points: OrientedPoints,
  choice: Exclude<EdgeChoice, 'off'>,
  context: RunContext,
): { readonly mesh: TriangleMesh; readonly edges: EdgeLines } {
  const edgeMm = usualEdgeMm(mesh)
  const mostCosine = Math.cos((LEAST_ANGLE[choice] * Math.PI) / 180)
  const places = lookForEdges(mesh, points, edgeMm, mostCosine, stage(context, 0, 0.6))
  const count = places.count.slice()
  let seen = 0
  for (let attempt = 0; attempt < ATTEMPTS; attempt++) {
    checkpoint(context, 6 + attempt / 2, 10, 'Setting edges')
    const believed: Places = { ...places, count }
    const network = networkOf(mesh, believed, edgeMm, choice === 'careful')
    seen = Math.max(seen, network.crossings.size)
    if (network.crossings.size === 0) break
    const cut = cutIn(mesh, believed, network, edgeMm)
    const bad = settle(cut, believed)
    const edges = linesOf(cut, believed)
    const out = cut.working.toMesh()
    for (const f of findCrossings(out, stage(context, 1, 1)))
      for (let c = 0; c < 3; c++)
        bad.push(
          (out.positions[out.indices[f * 3] * 3 + c] +
            out.positions[out.indices[f * 3 + 1] * 3 + c] +
            out.positions[out.indices[f * 3 + 2] * 3 + c]) /
            3,
        )
    if (bad.length === 0) return { mesh: out, edges: { ...edges, leftRound: 1 - network.crossings.size / seen } }
    forget(mesh, count, bad, (attempt + 1) * GIVE_BACK * edgeMm)
  }
  return { mesh, edges: { ...NO_EDGES, leftRound: seen > 0 ? 1 : 0 } }
}

/** Median length of a mesh's edges, mm. */
function usualEdgeMm({ positions: p, indices }: TriangleMesh): number {
  return median(
    Float64Array.from(indices, (a, i) => {
      const b = indices[i % 3 === 2 ? i - 2 : i + 1]
      return Math.hypot(p[a * 3] - p[b * 3], p[a * 3 + 1] - p[b * 3 + 1], p[a * 3 + 2] - p[b * 3 + 2])
    }),
  )
}

const NO_EDGES: EdgeLines = {
  segments: new Float32Array(0),
  lengthMm: 0,
  outwardMm: 0,
  inwardMm: 0,
  corners: 0,
  meanAngle: 0,
  leftRound: 0,
}

/** Forgets what was known of edges near some places. */
function forget({ positions: p }: TriangleMesh, count: Uint8Array, places: readonly number[], reachMm: number): void {
  const cells = new CellIndex(p, reachMm)
  for (let i = 0; i < places.length; i += 3)
    for (const cell of cells.around(places[i], places[i + 1], places[i + 2]))
      for (let k = cells.start[cell]; k < cells.start[cell + 1]; k++) {
        const v = cells.items[k]
        const d = Math.hypot(p[v * 3] - places[i], p[v * 3 + 1] - places[i + 1], p[v * 3 + 2] - places[i + 2])
        if (d <= reachMm) count[v] = 0
      }
}

/** The edges that were put in, told from the mesh they run over. */
function linesOf({ working, lines, kind, first, second, turn }: CutMesh, { sheets }: Places): EdgeLines {
  const { places: p } = working
  const pairs = lines.edges()
  const segments = new Float32Array(pairs.length * 6)
  let lengthMm = 0,
    outwardMm = 0,
    angles = 0
  pairs.forEach(([a, b], i) => {
    segments.set(p.subarray(a * 3, a * 3 + 3), i * 6)
    segments.set(p.subarray(b * 3, b * 3 + 3), i * 6 + 3)
    const size = Math.hypot(p[a * 3] - p[b * 3], p[a * 3 + 1] - p[b * 3 + 1], p[a * 3 + 2] - p[b * 3 + 2])
    const by = kind[a] === ON_LINE ? a : b
    sheets.off(first[by], p[by * 3], p[by * 3 + 1], p[by * 3 + 2], n1)
    sheets.off(second[by], p[by * 3], p[by * 3 + 1], p[by * 3 + 2], n2)
    lengthMm += size
    if (turn[by] > 0) outwardMm += size
    angles += size * Math.acos(Math.max(-1, Math.min(1, n1[0] * n2[0] + n1[1] * n2[1] + n1[2] * n2[2])))
  })
  return {
    segments,
    lengthMm,
    outwardMm,
    inwardMm: lengthMm - outwardMm,
    corners: lines.points().filter((v) => kind[v] === CORNER).length,
    meanAngle: lengthMm > 0 ? ((angles / lengthMm) * 180) / Math.PI : 0,
    leftRound: 0,
  }
}

const n1 = new Float64Array(3),
  n2 = new Float64Array(3)
