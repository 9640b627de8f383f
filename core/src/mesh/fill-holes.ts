import { checkpoint, type RunContext } from '../context'
import { GeometryError } from '../errors'
import { withMoreFaces, withMorePoints, type TriangleMesh } from '../shapes'
import { fairPatch } from './fair'
import { triangulateLoop } from './loop-triangulation'
import { unseenAt } from './rims'
import { boundaryLoops, edgeTopology } from './topology'
import { HalfEdgeMesh } from './half-edge-mesh'
import { weldVertices } from './weld'

export interface FillOptions {
  /** Close holes with a perimeter up to this, mm; Infinity closes all. */
  readonly perimeterMm: number
  /** Close only these, by their place in the list of rims (`rimsOfMesh` of the welded mesh). */
  readonly only?: readonly number[]
  /** Follow the surface round the hole, or span the rim with as little surface as can be. @defaultValue curved */
  readonly kind?: FillKind
}
export type FillKind = 'curved' | 'flat'

export interface FillResult {
  readonly mesh: TriangleMesh
  readonly closedHoles: number
  readonly leftOpen: number
  readonly facesAdded: number
}

/**
 * Closes holes that follow the curvature round them: minimal triangulation of the loop, refined to the density of its
 * rim, then faired to join smoothly (Liepa 2003, "Filling holes in meshes", SGP). New vertices are marked as invented.
 */
export function fillHoles(input: TriangleMesh, options: FillOptions, context: RunContext): FillResult {
  if (!(options.perimeterMm > 0))
    throw new GeometryError('PARAMS', `The largest perimeter must be larger than 0 mm, not ${options.perimeterMm}.`)
  const welded = weldVertices(input)
  const loops = boundaryLoops(welded, edgeTopology(welded))
  const chosen = loops.filter(
    (l, i) =>
      l.perimeterMm <= options.perimeterMm && l.vertices.length >= 3 && (!options.only || options.only.includes(i)),
  )
  let mesh: Working = { positions: Float64Array.from(welded.positions), faces: Array.from(welded.indices) }
  const baseVertices = welded.positions.length / 3
  const edges = rimEdges(welded, chosen)
  for (let i = 0; i < chosen.length; i++) {
    checkpoint(context, i, chosen.length, `Closing hole ${i + 1} of ${chosen.length}`)
    mesh = closeOne(mesh, chosen[i].vertices, edges, options.kind ?? 'curved')
  }
  // What was closed is told apart from what was there; a flat patch has no points of its own to tell it by.
  const told =
    options.kind === 'flat'
      ? unseenAt(
          welded,
          chosen.map((l) => l.vertices),
        )
      : welded.evidence
        ? welded
        : { ...welded, evidence: new Uint8Array(baseVertices) }
  return {
    mesh: withMoreFaces(withMorePoints(told, Float32Array.from(mesh.positions)), Uint32Array.from(mesh.faces)),
    closedHoles: chosen.length,
    leftOpen: loops.length - chosen.length,
    facesAdded: (mesh.faces.length - welded.indices.length) / 3,
  }
}

interface Working {
  positions: Float64Array
  faces: number[]
}

/** Edges of the mesh, and of patches as they come, between points of holes' rims. */
type RimEdges = Set<number>
/** More points than a mesh here can have; two numbers below it make one that is still exact. */
const MAX_POINTS = 2 ** 26
const edgeKey = (a: number, b: number): number => Math.min(a, b) * MAX_POINTS + Math.max(a, b)

function rimEdges({ indices }: TriangleMesh, loops: readonly { readonly vertices: Int32Array }[]): RimEdges {
  const onRim = new Set<number>()
  for (const { vertices } of loops) for (const v of vertices) onRim.add(v)
  const edges: RimEdges = new Set()
  for (let i = 0; i < indices.length; i++) {
    const a = indices[i],
      b = indices[i % 3 === 2 ? i - 2 : i + 1]
    if (onRim.has(a) && onRim.has(b)) edges.add(edgeKey(a, b))
  }
  return edges
}

/** Where every chord is an edge already, the rim is joined to one point in its middle. */
function coneOf(base: Float64Array, loop: Int32Array): { faces: number[]; added: number[] } {
  const middle = [0, 0, 0]
  for (const v of loop) for (let c = 0; c < 3; c++) middle[c] += base[v * 3 + c] / loop.length
  const tip = base.length / 3
  const faces = Array.from(loop).flatMap((v, i) => [v, loop[(i + 1) % loop.length], tip])
  return { faces, added: middle }
}

function closeOne(mesh: Working, loop: Int32Array, edges: RimEdges, kind: FillKind): Working {
  const isEdge = (a: number, b: number): boolean => edges.has(edgeKey(a, b))
  const triangles = triangulateLoop(mesh.positions, loop, isEdge)
  const patch = !triangles
    ? coneOf(mesh.positions, loop)
    : kind === 'flat'
      ? { faces: triangles, added: [] }
      : refine(mesh.positions, loop, triangles, isEdge)
  const base = mesh.positions.length / 3
  patch.faces.forEach((a, i) => {
    const b = patch.faces[i % 3 === 2 ? i - 2 : i + 1]
    if (a < base && b < base) edges.add(edgeKey(a, b))
  })
  const faces = mesh.faces.concat(patch.faces)
  if (patch.added.length === 0) return { positions: mesh.positions, faces }
  const positions = new Float64Array(mesh.positions.length + patch.added.length)
  positions.set(mesh.positions)
  positions.set(patch.added, mesh.positions.length)
  fairPatch(positions, mesh.faces, patch.faces, loop, mesh.positions.length / 3)
  return { positions, faces }
}

/**
 * Liepa 2003, section 3: centroids are put in while a face is much larger than the edges of the rim suggest, then edges
 * are relaxed.
 */
function refine(
  base: Float64Array,
  loop: Int32Array,
  triangles: number[],
  isEdge: (a: number, b: number) => boolean,
): { faces: number[]; added: number[] } {
  const added: number[] = []
  const offset = base.length / 3
  const at = (v: number, c: number): number => (v < offset ? base[v * 3 + c] : added[(v - offset) * 3 + c])
  const distance = (a: number, b: number): number =>
    Math.hypot(at(a, 0) - at(b, 0), at(a, 1) - at(b, 1), at(a, 2) - at(b, 2))
  const scale = new Map<number, number>()
  loop.forEach((v, i) =>
    scale.set(
      v,
      (distance(v, loop[(i + 1) % loop.length]) + distance(v, loop[(i + loop.length - 1) % loop.length])) / 2,
    ),
  )
  let faces = triangles
  for (let round = 0; round < 12; round++) {
    const next: number[] = []
    let split = 0
    for (let f = 0; f < faces.length; f += 3) {
      const [a, b, c] = [faces[f], faces[f + 1], faces[f + 2]]
      const mid = [0, 1, 2].map((k) => (at(a, k) + at(b, k) + at(c, k)) / 3)
      const want = (scale.get(a)! + scale.get(b)! + scale.get(c)!) / 3
      const far = [a, b, c].every(
        (v) =>
          Math.SQRT2 * Math.hypot(at(v, 0) - mid[0], at(v, 1) - mid[1], at(v, 2) - mid[2]) >
          Math.max(want, scale.get(v)!),
      )
      if (!far || added.length > 150_000) {
        next.push(a, b, c)
        continue
      }
      const v = offset + added.length / 3
      added.push(mid[0], mid[1], mid[2])
      scale.set(v, want)
      next.push(a, b, v, b, c, v, c, a, v)
      split++
    }
    faces = next
    if (split === 0) break
    relaxEdges(faces, at, isEdge)
  }
  return { faces, added }
}

const MAX_FLIPS_PER_EDGE = 8

/**
 * Flips inner edges of the patch that are not locally Delaunay (opposite angles over 180° together), until none is
 * left.
 */
function relaxEdges(
  faces: number[],
  at: (v: number, c: number) => number,
  isEdge: (a: number, b: number) => boolean,
): void {
  const angle = (o: number, a: number, b: number): number => {
    let dot = 0,
      aa = 0,
      bb = 0
    for (let c = 0; c < 3; c++) {
      const x = at(a, c) - at(o, c),
        y = at(b, c) - at(o, c)
      dot += x * y
      aa += x * x
      bb += y * y
    }
    return Math.acos(Math.max(-1, Math.min(1, dot / Math.sqrt(aa * bb || 1))))
  }
  // The patch alone, its points numbered as they come: all of it that an edit touches lies inside.
  const own = new Map<number, number>()
  const outer: number[] = []
  const indices = Uint32Array.from(faces, (v) => {
    let k = own.get(v)
    if (k === undefined) {
      k = outer.length
      own.set(v, k)
      outer.push(v)
    }
    return k
  })
  const patch = new HalfEdgeMesh({ positions: new Float32Array(outer.length * 3), indices })
  const queue = Array.from(indices.keys())
  // Angles on a bent patch may contradict one another: an edge turned often enough stays.
  for (let left = MAX_FLIPS_PER_EDGE * queue.length; queue.length > 0 && left > 0; left--) {
    const h = queue.pop()!
    if (patch.twin(h) < 0) continue
    const [a, b, c, d] = [patch.origin(h), patch.tip(h), patch.apex(h), patch.apex(patch.twin(h))].map((v) => outer[v])
    if (angle(c, a, b) + angle(d, a, b) <= Math.PI + 1e-9 || isEdge(c, d) || !patch.canFlip(h)) continue
    patch.flip(h)
    for (const side of [h, patch.twin(h)])
      for (const edge of [side, patch.nextOf(side), patch.previousOf(side)]) if (edge !== h) queue.push(edge)
  }
  patch.indices().forEach((v, i) => (faces[i] = outer[v]))
}
