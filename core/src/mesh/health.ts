import { faceCross } from '../linear/face-cross'
import { stage, type RunContext } from '../context'
import type { TriangleMesh } from '../shapes'
import { UnionFind } from '../spatial/union-find'
import { meshComponents } from './components'
import { searchCrossings } from './crossings'
import { boundaryLoops, edgeTopology, type BoundaryLoop } from './topology'
import { weldVertices } from './weld'

export interface MeshHealth {
  readonly vertices: number
  readonly faces: number
  readonly components: number
  readonly loops: readonly BoundaryLoop[]
  readonly borderEdges: number
  readonly nonManifoldEdges: number
  readonly nonManifoldVertices: number
  readonly flippedEdges: number
  readonly zeroAreaFaces: number
  /** Faces far from even ones: of a quality under 0.1, see `sliversOf`. */
  readonly sliverFaces: number
  /** Edges whose two faces turn by more than 60° to each other. */
  readonly bentEdges: number
  /** Pairs of crossing faces that were found; −1 when not looked for. */
  readonly crossings: number
  /** The faces of those pairs, two a pair, in the mesh with coincident vertices merged. */
  readonly crossingFaces: Uint32Array
  /** Whether every pair of faces that might cross was looked at. */
  readonly crossingsComplete: boolean
  /**
   * After merging coincident vertices every edge has exactly two faces that run it in opposite directions, no zero-area
   * face.
   */
  readonly closed: boolean
  readonly manifold: boolean
  /** Handles of a closed manifold mesh by V − E + F = 2(c − g); null otherwise. */
  readonly genus: number | null
  readonly areaMm2: number
  /** Signed by the divergence theorem: positive when faces look outward. */
  readonly volumeMm3: number
}

/**
 * The search for crossings ends with so many found, or so many pairs looked at: a sound mesh has some ten a face whose
 * boxes meet.
 */
const MAX_CROSSINGS = 100_000
const LOOKS_A_FACE = 200
const MIN_LOOKS = 4_000_000

export interface HealthOptions {
  /** @defaultValue true */
  readonly crossings?: boolean
}

/** The full check of a mesh; judged after merging coincident vertices. */
export function checkHealth(input: TriangleMesh, context: RunContext, options: HealthOptions = {}): MeshHealth {
  const mesh = weldVertices(input)
  const { positions: p, indices } = mesh
  const topology = edgeTopology(mesh)
  const { count } = meshComponents(mesh)
  const { areaMm2, volumeMm3, zeroAreaFaces } = massProperties(mesh)
  const nonManifoldVertices = splitVertices(mesh, topology.twin).reduce((a, b) => a + b, 0)
  const used = new Uint8Array(p.length / 3)
  for (const v of indices) used[v] = 1
  let vertices = 0
  for (const u of used) vertices += u
  const faces = indices.length / 3
  const manifold = topology.nonManifoldEdges === 0 && topology.flippedEdges === 0 && nonManifoldVertices === 0
  const closed =
    faces > 0 &&
    topology.borderEdges === 0 &&
    topology.nonManifoldEdges === 0 &&
    topology.flippedEdges === 0 &&
    zeroAreaFaces === 0
  const looked =
    options.crossings === false
      ? null
      : searchCrossings(mesh, stage(context, 0.3, 1), MAX_CROSSINGS, null, MIN_LOOKS + LOOKS_A_FACE * faces)
  return {
    vertices,
    faces,
    components: count,
    loops: topology.borderEdges > 0 ? boundaryLoops(mesh, topology) : [],
    borderEdges: topology.borderEdges,
    nonManifoldEdges: topology.nonManifoldEdges,
    nonManifoldVertices,
    flippedEdges: topology.flippedEdges,
    zeroAreaFaces,
    ...sliversOf(mesh, topology.twin),
    crossings: looked ? looked.pairs.length / 2 : -1,
    crossingFaces: looked?.pairs ?? new Uint32Array(0),
    crossingsComplete: looked?.complete ?? false,
    closed,
    manifold,
    genus: closed && manifold ? count - (vertices - topology.edges + faces) / 2 : null,
    areaMm2,
    volumeMm3,
  }
}

const SLIVER_QUALITY = 0.1
const BENT_COSINE = Math.cos(Math.PI / 3)

/**
 * Faces of a quality 4√3 A / (a² + b² + c²) under 0.1 (1 for an even one, 0 for none: Bank and Smith 1997), and edges
 * that bend by more than 60°. No faults of a mesh, but what makes a smooth surface look freckled.
 */
function sliversOf(
  { positions: p, indices }: TriangleMesh,
  twin: Int32Array,
): { readonly sliverFaces: number; readonly bentEdges: number } {
  const normals = new Float32Array(indices.length)
  const cross = new Float64Array(3)
  let sliverFaces = 0
  for (let f = 0; f < indices.length; f += 3) {
    const a = indices[f] * 3,
      b = indices[f + 1] * 3,
      c = indices[f + 2] * 3
    const twice = faceCross(p, a, b, c, cross)
    let squares = 0
    for (let k = 0; k < 3; k++) {
      normals[f + k] = twice > 0 ? cross[k] / twice : 0
      squares += (p[a + k] - p[b + k]) ** 2 + (p[b + k] - p[c + k]) ** 2 + (p[c + k] - p[a + k]) ** 2
    }
    if (2 * Math.sqrt(3) * twice < SLIVER_QUALITY * squares) sliverFaces++
  }
  let bentEdges = 0
  for (let h = 0; h < twin.length; h++) {
    const t = twin[h]
    if (t <= h) continue
    const f = h - (h % 3),
      g = t - (t % 3)
    const dot = normals[f] * normals[g] + normals[f + 1] * normals[g + 1] + normals[f + 2] * normals[g + 2]
    if (dot < BENT_COSINE) bentEdges++
  }
  return { sliverFaces, bentEdges }
}

/** Area, volume (divergence theorem, about the first vertex to keep digits) and faces without area. */
export function massProperties(mesh: TriangleMesh): { areaMm2: number; volumeMm3: number; zeroAreaFaces: number } {
  const { positions: p, indices } = mesh
  const ox = p[0] ?? 0,
    oy = p[1] ?? 0,
    oz = p[2] ?? 0
  let area = 0,
    volume = 0,
    zeroAreaFaces = 0
  const cross = new Float64Array(3)
  for (let i = 0; i < indices.length; i += 3) {
    const a = indices[i] * 3,
      b = indices[i + 1] * 3,
      c = indices[i + 2] * 3
    const ax = p[a] - ox,
      ay = p[a + 1] - oy,
      az = p[a + 2] - oz
    const twice = faceCross(p, a, b, c, cross)
    if (twice === 0) zeroAreaFaces++
    area += twice / 2
    volume += (ax * cross[0] + ay * cross[1] + az * cross[2]) / 6
  }
  return { areaMm2: area, volumeMm3: volume, zeroAreaFaces }
}

/** 1 for vertices whose faces form more than one fan: corners joined through shared edges. */
export function splitVertices(mesh: TriangleMesh, twin: Int32Array): Uint8Array {
  const { indices } = mesh
  const fans = new UnionFind(indices.length)
  for (let h = 0; h < indices.length; h++) {
    const t = twin[h]
    if (t < h) continue
    const next = (e: number): number => (e % 3 === 2 ? e - 2 : e + 1)
    fans.union(h, next(t))
    fans.union(next(h), t)
  }
  const first = new Int32Array(mesh.positions.length / 3).fill(-1)
  const split = new Uint8Array(first.length)
  for (let h = 0; h < indices.length; h++) {
    const root = fans.find(h)
    const v = indices[h]
    if (first[v] < 0) first[v] = root
    else if (first[v] !== root) split[v] = 1
  }
  return split
}
