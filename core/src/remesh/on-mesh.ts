import { faceCross } from '../linear/face-cross'
import { GeometryError } from '../errors'
import { carryOver } from '../mesh/carry-over'
import { cutApart } from '../mesh/cut-apart'
import { vertexNormals } from '../mesh/normals'
import { edgeTopology } from '../mesh/topology'
import { weldVertices } from '../mesh/weld'
import { withOtherFaces, type TriangleMesh } from '../shapes'
import { TriangleBvh } from '../spatial/triangle-bvh'
import type { RunContext } from '../context'
import { remesh, type RemeshOptions } from './remesh'
import type { Ground } from './relax'
import { WorkingMesh } from './working-mesh'

/** Edges that bend by more than this are the piece's own and stay (cosine; 40°). */
const SHARP = Math.cos((40 * Math.PI) / 180)
/** Edges are split over so many times the wanted length. */
const LONG = 4 / 3
/** A face's own facing is believed from so much of an edge in height on. */
const TELLING = 0.3
/** The surface is looked for within so many edges of a place. */
const REACH = 2

/**
 * A mesh with triangles as even as can be, their points on the surface that was. Points of sharp edges and of borders
 * stay where they are. Colours and evidence are those of the nearest place of the old surface; of evidence the weakest
 * of its face. A picture is taken off.
 * @throws PARAMS where the edge is not longer than 0
 */
export function remeshOnItself(input: TriangleMesh, options: RemeshOptions, context: RunContext): TriangleMesh {
  if (!(options.edgeMm > 0)) throw new GeometryError('PARAMS', `Edges must be longer than 0 mm, not ${options.edgeMm}.`)
  const welded = weldVertices(input)
  const { indices, source } = cutApart(welded)
  const positions = new Float32Array(source.length * 3)
  source.forEach((v, i) => positions.set(welded.positions.subarray(v * 3, v * 3 + 3), i * 3))
  const surface: TriangleMesh = { kind: 'mesh', positions, indices }
  const ground = groundOf(new TriangleBvh(surface), REACH * options.edgeMm)
  const { mesh, held } = withSharpEdgesSplit(surface, options.edgeMm)
  const even = remesh(mesh, ground, { ...options, held }, context)
  return carryOver(withOtherFaces(welded, welded.indices), weldVertices(even))
}

/** A mesh's own faces as the ground for other triangles. */
function groundOf(bvh: TriangleBvh, reachMm: number): Ground {
  const cross = new Float64Array(3)
  const { positions: p, indices } = bvh.mesh
  return {
    lay(at, normal) {
      if (!bvh.closest(at[0], at[1], at[2], reachMm * reachMm)) return false
      const { face, x, y, z } = bvh.result
      const twice = faceCross(p, indices[face * 3] * 3, indices[face * 3 + 1] * 3, indices[face * 3 + 2] * 3, cross)
      if (!(twice > 0)) return false
      at[0] = x
      at[1] = y
      at[2] = z
      for (let c = 0; c < 3; c++) normal[c] = cross[c] / twice
      return true
    },
  }
}

/**
 * The mesh with its sharp edges as short as edges shall be, and the points of those marked: they stay, so that an edge of
 * the piece stays a line.
 */
function withSharpEdgesSplit(surface: TriangleMesh, edgeMm: number): { mesh: TriangleMesh; held: Uint8Array } {
  const sharp = sharpEdges(surface, edgeMm)
  const working = new WorkingMesh(surface, edgeMm)
  const { topology } = working
  const marked = new Set<number>()
  while (sharp.length > 0) {
    const [a, b] = sharp.pop()!
    marked.add(a).add(b)
    const h = topology.outgoing(a).find((out) => topology.tip(out) === b)
    if (h === undefined || working.squaredLength(h) <= (LONG * edgeMm) ** 2) continue
    const m = working.split(h)
    sharp.push([a, m], [m, b])
  }
  const mesh = {
    ...surface,
    positions: Float32Array.from(working.places.subarray(0, topology.points * 3)),
    indices: topology.indices(),
  }
  const held = new Uint8Array(topology.points)
  for (const v of marked) held[v] = 1
  return { mesh, held }
}

/**
 * Ends of the edges that bend sharply. What a face smaller than the edges that are wanted looks like says little, on a
 * contour least of all: there the surface round its far corner is asked instead.
 */
function sharpEdges(mesh: TriangleMesh, edgeMm: number): [number, number][] {
  const { positions: p, indices } = mesh
  const { twin } = edgeTopology(mesh)
  const around = vertexNormals(mesh)
  const cross = new Float64Array(3)
  const facing = (h: number): readonly number[] => {
    const f = h - (h % 3)
    const [a, b, c] = [indices[f] * 3, indices[f + 1] * 3, indices[f + 2] * 3]
    const twice = faceCross(p, a, b, c, cross)
    let longest = 0
    for (const [u, v] of [
      [a, b],
      [b, c],
      [c, a],
    ])
      longest = Math.max(longest, Math.hypot(p[u] - p[v], p[u + 1] - p[v + 1], p[u + 2] - p[v + 2]))
    if (twice >= TELLING * edgeMm * longest) return [cross[0] / twice, cross[1] / twice, cross[2] / twice]
    const apex = indices[h % 3 === 0 ? h + 2 : h - 1] * 3
    return [around[apex], around[apex + 1], around[apex + 2]]
  }
  const found: [number, number][] = []
  const meets = new Map<number, number>()
  for (let h = 0; h < twin.length; h++) {
    const t = twin[h]
    if (t < h) continue
    const n = facing(h),
      m = facing(t)
    if (n[0] * m[0] + n[1] * m[1] + n[2] * m[2] >= SHARP) continue
    const [a, b] = [indices[h], indices[t]]
    found.push([a, b])
    for (const v of [a, b]) meets.set(v, (meets.get(v) ?? 0) + 1)
  }
  // One alone is no edge of a piece.
  return found.filter(([a, b]) => meets.get(a)! > 1 || meets.get(b)! > 1)
}
