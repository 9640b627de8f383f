import { quietContext, stage, type RunContext } from '../context'
import { GeometryError } from '../errors'
import { faceCross } from '../linear/face-cross'
import { cutApart } from '../mesh/cut-apart'
import { findCrossings } from '../mesh/crossings'
import { splitVertices } from '../mesh/health'
import { edgeTopology } from '../mesh/topology'
import { dropUnusedVertices, weldVertices } from '../mesh/weld'
import { EVIDENCE, pickPoints, withOtherFaces, type TriangleMesh } from '../shapes'
import { chunksNear, chunksOf, type Chunks } from '../spatial/chunks'
import { carriedMm } from './carried'
import { collapseEdges, type Collapsed } from './collapse'

export interface SimplifyOptions {
  /** Faces wanted, ≥ 4. */
  readonly faces?: number
  /** Largest deviation allowed, mm, > 0. */
  readonly deviationMm?: number
  /** How often faulty places are given back and the rest simplified again. @defaultValue 6 */
  readonly rounds?: number
}

export interface SimplifyResult {
  readonly mesh: TriangleMesh
  /** How far the farthest point of the input lies from the result, mm; measured. */
  readonly deviationMm: number
  /** Points at places that became faulty and could not be given back; 0 as a rule. */
  readonly faultyPoints: number
}

export const SIMPLIFY_DEFAULTS = { rounds: 6 } as const
/** How far an edge may carry the surface is told by planes, a little less than it comes to in the end. */
const RESERVE = 0.75

/**
 * Fewer faces by quadric edge collapse, borders held (`collapseEdges`). Give a face count, a deviation, or both: the
 * first limit reached stops it. What is no surface (edges with more than two faces) is cut apart, held, and sewn up again.
 *
 * Where the outcome has a fault that the input did not have (faces that cross, exact predicates), or lies farther from
 * it than allowed (measured), the surroundings are held as they are and the whole is simplified again. What is left
 * after some rounds is told.
 */
export function simplifyMesh(
  input: TriangleMesh,
  options: SimplifyOptions,
  context: RunContext = quietContext(),
): SimplifyResult {
  const { faces, deviationMm, rounds = SIMPLIFY_DEFAULTS.rounds } = options
  if (faces === undefined && deviationMm === undefined)
    throw new GeometryError('PARAMS', 'Say how many faces to keep, or how far the surface may move.')
  if (faces !== undefined && !(Number.isInteger(faces) && faces >= 4))
    throw new GeometryError('PARAMS', `A closed mesh has at least 4 faces; ${faces} is too few.`)
  if (deviationMm !== undefined && !(deviationMm > 0))
    throw new GeometryError('PARAMS', `The deviation must be larger than 0 mm, not ${deviationMm}.`)
  const welded = weldVertices(input)
  if (faces !== undefined && welded.indices.length / 3 <= faces)
    return { mesh: welded, deviationMm: 0, faultyPoints: 0 }
  const { indices, source } = cutApart(welded)
  const mesh = withOtherFaces(
    source.length * 3 === welded.positions.length ? welded : pickPoints(welded, source),
    indices,
  )
  const { normals: _gone, ...bare } = mesh
  const locked = new Uint8Array(source.length)
  let chunks: Chunks | undefined
  let known: Set<number> | undefined
  for (let round = 1; ; round++) {
    const share = stage(context, 1 - 1 / round, 1 - 1 / (round + 1))
    const collapsed = collapseEdges(
      bare,
      { faces: faces ?? 0, deviationMm: (deviationMm ?? Infinity) * RESERVE, locked },
      stage(share, 0, 0.8),
    )
    const coarse = mergedPoints(bare, collapsed)
    let faulty = faultyVertices(coarse, stage(share, 0.8, 0.9))
    if (faulty.length > 0) {
      // Faults that were there before are none of this act's.
      const before = (known ??= new Set(faultyVertices(mesh, stage(share, 0.9, 1))))
      faulty = faulty.filter((v) => !before.has(collapsed.kept[v]))
    }
    const { mostMm, beyond } = carriedMm(bare, coarse, collapsed.became, deviationMm ?? Infinity)
    if ((faulty.length === 0 && beyond.length === 0) || round >= rounds)
      return { mesh: dropUnusedVertices(weldVertices(coarse)), deviationMm: mostMm, faultyPoints: faulty.length }
    chunks ??= chunksOf(mesh.positions)
    lockAround(chunks, coarse, faulty, locked)
    const far = new Set(Array.from(beyond, (v) => collapsed.became[v]))
    lockAround(chunks, coarse, [...far], locked)
  }
}

/** The faces that are left, on points that know what those they came of knew. */
function mergedPoints(mesh: TriangleMesh, { positions, indices, kept, became }: Collapsed): TriangleMesh {
  const points = kept.length
  const picked = withOtherFaces(pickPoints(mesh, kept), indices)
  const merged = new Int32Array(points)
  for (const w of became) merged[w]++
  const { colours, evidence, colourEvidence } = mesh
  return {
    ...picked,
    positions,
    ...(colours && { colours: meanColours(colours, became, merged) }),
    ...(evidence && { evidence: halfKnown(evidence, became, merged) }),
    ...(colourEvidence && { colourEvidence: halfKnown(colourEvidence, became, merged) }),
  }
}

function meanColours(colours: Uint8Array, became: Int32Array, merged: Int32Array): Uint8Array {
  const sums = new Float64Array(merged.length * 3)
  became.forEach((w, v) => {
    for (let c = 0; c < 3; c++) sums[w * 3 + c] += colours[v * 3 + c]
  })
  return Uint8Array.from(sums, (s, i) => Math.round(s / merged[Math.floor(i / 3)]))
}

/** A point counts as measured, or carried, where more than half of the points it came of were that at least. */
function halfKnown(evidence: Uint8Array, became: Int32Array, merged: Int32Array): Uint8Array {
  const weak = new Int32Array(merged.length),
    weakest = new Int32Array(merged.length)
  became.forEach((w, v) => {
    if (evidence[v] !== EVIDENCE.measured) weak[w]++
    if (evidence[v] === EVIDENCE.invented) weakest[w]++
  })
  return Uint8Array.from(merged, (n, w) =>
    weakest[w] * 2 >= n ? EVIDENCE.invented : weak[w] * 2 >= n ? EVIDENCE.carried : EVIDENCE.measured,
  )
}

/**
 * Vertices at edges with more than two faces or faces that run the same way, at pinched points, of faces without area
 * and of crossing faces.
 */
function faultyVertices(mesh: TriangleMesh, context: RunContext): number[] {
  const { indices, positions: p } = mesh
  const out = new Set<number>()
  const face = (f: number): void => {
    for (let c = 0; c < 3; c++) out.add(indices[f * 3 + c])
  }
  const { twin } = edgeTopology(mesh)
  for (let h = 0; h < twin.length; h++) if (twin[h] === -2) face(Math.floor(h / 3))
  splitVertices(mesh, twin).forEach((s, v) => {
    if (s) out.add(v)
  })
  const cross = new Float64Array(3)
  for (let f = 0; f < indices.length; f += 3)
    if (faceCross(p, indices[f] * 3, indices[f + 1] * 3, indices[f + 2] * 3, cross) === 0) face(f / 3)
  for (const f of findCrossings(mesh, context)) face(f)
  return [...out]
}

/** Locks all input vertices as near to a faulty one as its own edges in the coarse mesh are long. */
function lockAround(chunks: Chunks, coarse: TriangleMesh, faulty: readonly number[], lock: Uint8Array): void {
  const { positions: p } = coarse
  const reach = new Map<number, number>(faulty.map((v) => [v, 0]))
  for (let i = 0; i < coarse.indices.length; i++) {
    const v = coarse.indices[i]
    if (!reach.has(v)) continue
    const from = i - (i % 3)
    for (let c = 0; c < 3; c++) {
      const w = coarse.indices[from + c]
      const d = Math.hypot(p[v * 3] - p[w * 3], p[v * 3 + 1] - p[w * 3 + 1], p[v * 3 + 2] - p[w * 3 + 2])
      if (d > reach.get(v)!) reach.set(v, d)
    }
  }
  for (const [v, r] of reach) {
    const at = p.subarray(v * 3, v * 3 + 3)
    for (const c of chunksNear(chunks, at, at, r)) {
      const end = Math.min(lock.length, (c + 1) * chunks.size)
      for (let i = c * chunks.size; i < end; i++) {
        const x = chunks.positions[i * 3] - at[0],
          y = chunks.positions[i * 3 + 1] - at[1],
          z = chunks.positions[i * 3 + 2] - at[2]
        if (x * x + y * y + z * z <= r * r) lock[chunks.order[i]] = 1
      }
    }
  }
}
