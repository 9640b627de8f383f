import cdt2d from 'cdt2d'
import { checkpoint, type RunContext } from '../context'
import { GeometryError } from '../errors'
import {
  boundsOf,
  cornerAttributesOf,
  diagonal,
  faceAttributesOf,
  pickPoints,
  pickTriangles,
  withMoreFaces,
  type TriangleMesh,
} from '../shapes'
import { unseenAt } from './rims'
import { dropUnusedVertices, weldVertices } from './weld'
import { nextHalf } from './half-edges'

export interface Plane {
  /** Points to the side that stays; of any length but 0. */
  readonly normal: readonly number[]
  /** Of the unit normal, mm. */
  readonly offsetMm: number
}

export interface PlaneCut {
  readonly mesh: TriangleMesh
  /** Closed curves along which the surface was cut, x, y, z of each point, the longest first. */
  readonly rims: readonly Float64Array[]
  /** Those of them that were closed flat. */
  readonly capped: number
  readonly facesAdded: number
}

/** Of the mesh's size: what lies so near to the plane lies in it. */
const IN_PLANE = 1e-7

/**
 * Cuts a mesh along a plane: what lies on the side the normal points to stays, triangles across are cut at the plane.
 * A cap closes the cut flat: the rims become the constraints of a Delaunay triangulation in the plane (Chew 1989, by
 * cdt2d with exact predicates), so that every point of a rim is a corner of the cap, and holes in the cut stay holes.
 * @throws PARAMS for a normal of no length · EMPTY when nothing or everything would stay
 */
export function cutByPlane(input: TriangleMesh, plane: Plane, cap: boolean, context: RunContext): PlaneCut {
  const length = Math.hypot(...plane.normal)
  if (!(length > 0) || !Number.isFinite(plane.offsetMm))
    throw new GeometryError('PARAMS', 'The plane has no direction or no place.')
  const unit = plane.normal.map((v) => v / length)
  const mesh = weldVertices(input)
  const height = heightsOf(mesh, unit, plane.offsetMm)
  if (!height.some((h) => h < 0))
    throw new GeometryError('EMPTY', 'The plane lies below the whole mesh; nothing to cut.')
  if (!height.some((h) => h > 0))
    throw new GeometryError(
      'EMPTY',
      'The whole mesh lies below the plane; nothing would be left. Turn the plane round.',
    )
  checkpoint(context, 0.2, 1, 'Cutting along the plane')
  const clipped = clip(mesh, height)
  const loops = rimsOf(clipped.mesh, clipped.onPlane)
  const rims = loops.map((loop) =>
    Float64Array.from(Array.from(loop).flatMap((v) => Array.from(clipped.mesh.positions.subarray(v * 3, v * 3 + 3)))),
  )
  if (!cap || loops.length === 0) return { mesh: dropUnusedVertices(clipped.mesh), rims, capped: 0, facesAdded: 0 }
  checkpoint(context, 0.7, 1, 'Closing the cut')
  const faces = flatCap(clipped.mesh.positions, loops, unit)
  const closed = faces
    ? withMoreFaces(unseenAt(clipped.mesh, loops), joined(clipped.mesh.indices, faces))
    : clipped.mesh
  return {
    mesh: dropUnusedVertices(weldVertices(closed)),
    rims,
    capped: faces ? loops.length : 0,
    facesAdded: faces ? faces.length / 3 : 0,
  }
}

/** Height of each point over the plane, mm; exactly 0 for those that lie in it. */
function heightsOf({ positions: p }: TriangleMesh, [x, y, z]: readonly number[], offsetMm: number): Float64Array {
  const near = diagonal(boundsOf(p)) * IN_PLANE
  const out = new Float64Array(p.length / 3)
  for (let i = 0; i < out.length; i++) {
    const h = x * p[i * 3] + y * p[i * 3 + 1] + z * p[i * 3 + 2] - offsetMm
    out[i] = Math.abs(h) <= near ? 0 : h
  }
  return out
}

/** A corner of a new face: a corner of an old face, or a place between two of them. */
interface Corner {
  readonly point: number
  readonly a: number
  readonly b: number
  /** How far from a to b, 0–1. */
  readonly t: number
}

/** The mesh on the upper side, and which of its points lie in the plane. */
function clip(mesh: TriangleMesh, height: Float64Array): { mesh: TriangleMesh; onPlane: Uint8Array } {
  const { indices, positions: p } = mesh
  const n = p.length / 3
  const source: number[] = []
  const added: number[] = []
  const between = new Map<number, number>()
  /** The point in which an edge is cut, the same for both its faces. */
  const cutOf = (u: number, v: number): number => {
    const [a, b] = u < v ? [u, v] : [v, u]
    const key = a * n + b
    let k = between.get(key)
    if (k === undefined) {
      k = n + source.length
      between.set(key, k)
      const t = height[a] / (height[a] - height[b])
      source.push(t < 0.5 ? a : b)
      for (let c = 0; c < 3; c++) added.push(p[a * 3 + c] + t * (p[b * 3 + c] - p[a * 3 + c]))
    }
    return k
  }
  // Faces that stay whole are most of them; only those across the plane are taken apart.
  const whole = new Uint32Array(indices.length / 3)
  let count = 0
  const corners: Corner[] = []
  const faces: number[] = []
  for (let f = 0; f < indices.length; f += 3) {
    const [h0, h1, h2] = [height[indices[f]], height[indices[f + 1]], height[indices[f + 2]]]
    if (h0 <= 0 && h1 <= 0 && h2 <= 0) continue
    if (h0 >= 0 && h1 >= 0 && h2 >= 0) {
      whole[count++] = f / 3
      continue
    }
    const h = [h0, h1, h2]
    const polygon: Corner[] = []
    for (let c = 0; c < 3; c++) {
      const d = (c + 1) % 3
      const [u, v] = [indices[f + c], indices[f + d]]
      if (h[c] >= 0) polygon.push({ point: u, a: f + c, b: f + c, t: 0 })
      if (h[c] * h[d] < 0) polygon.push({ point: cutOf(u, v), a: f + c, b: f + d, t: h[c] / (h[c] - h[d]) })
    }
    for (let k = 1; k + 1 < polygon.length; k++) {
      corners.push(polygon[0], polygon[k], polygon[k + 1])
      faces.push(f / 3)
    }
  }
  const from = new Uint32Array(n + source.length)
  for (let i = 0; i < n; i++) from[i] = i
  from.set(source, n)
  const picked = pickPoints(mesh, from)
  picked.positions.set(added, n * 3)
  const onPlane = new Uint8Array(from.length)
  for (let i = 0; i < n; i++) if (height[i] === 0) onPlane[i] = 1
  onPlane.fill(1, n)
  const kept = pickTriangles(picked, whole.subarray(0, count))
  const clipped = withMoreFaces(
    kept,
    joined(
      kept.indices,
      Uint32Array.from(corners, (c) => c.point),
    ),
  )
  layCorners(mesh, clipped, corners, kept.indices.length)
  const own = faceAttributesOf(mesh)
  faceAttributesOf(clipped).forEach(({ values }, k) => faces.forEach((f, i) => (values[count + i] = own[k].values[f])))
  return { mesh: clipped, onPlane }
}

const joined = (a: Uint32Array, b: ArrayLike<number>): Uint32Array => {
  const out = new Uint32Array(a.length + b.length)
  out.set(a)
  out.set(b, a.length)
  return out
}

/** Gives new corners what lies between the old corners they lie between. @param at the first of them */
function layCorners(mesh: TriangleMesh, to: TriangleMesh, corners: readonly Corner[], at: number): void {
  const own = cornerAttributesOf(mesh)
  cornerAttributesOf(to).forEach(({ values: out, attribute: { width } }, k) => {
    const { values } = own[k]
    corners.forEach(({ a, b, t }, i) => {
      for (let w = 0; w < width; w++)
        out[(at + i) * width + w] = values[a * width + w] * (1 - t) + values[b * width + w] * t
    })
  })
}

/** Closed chains of the border edges that lie in the plane, in the order in which a cap runs; the longest first. */
function rimsOf({ indices }: TriangleMesh, onPlane: Uint8Array): Int32Array[] {
  const points = onPlane.length
  const open = new Set<number>()
  for (let h = 0; h < indices.length; h++) {
    const from = indices[h],
      to = indices[nextHalf(h)]
    if (onPlane[from] && onPlane[to] && !open.delete(to * points + from)) open.add(from * points + to)
  }
  // A cap runs against the border.
  const next = new Map<number, number[]>()
  for (const key of open) {
    const [from, to] = [Math.floor(key / points), key % points]
    next.set(to, [...(next.get(to) ?? []), from])
  }
  const loops: Int32Array[] = []
  for (const start of next.keys()) {
    while ((next.get(start)?.length ?? 0) > 0) {
      const loop = [start]
      let at = next.get(start)!.pop()
      while (at !== undefined && at !== start) {
        loop.push(at)
        at = next.get(at)?.pop()
      }
      // An open chain ends at a border the mesh had before: no plane closes that.
      if (at === start && loop.length >= 3) loops.push(Int32Array.from(loop))
    }
  }
  return loops.sort((a, b) => b.length - a.length)
}

/** Faces that close rims in their plane; null where the rims cross each other, which no flat cap can close. */
function flatCap(positions: Float32Array, loops: readonly Int32Array[], normal: readonly number[]): number[] | null {
  const drop = normal.map(Math.abs).indexOf(Math.max(...normal.map(Math.abs)))
  // Seen from below, where the cap faces.
  const [x, y] = normal[drop] > 0 ? [(drop + 2) % 3, (drop + 1) % 3] : [(drop + 1) % 3, (drop + 2) % 3]
  const own = new Map<number, number>()
  // Points that fall on one place are one there; the weld makes them one in the mesh.
  const placed = new Map<string, number>()
  const points: number[] = []
  for (const loop of loops)
    for (const v of loop) {
      const place = `${positions[v * 3 + x]} ${positions[v * 3 + y]}`
      if (!placed.has(place)) {
        placed.set(place, points.length)
        points.push(v)
      }
      own.set(v, placed.get(place)!)
    }
  const at = points.map((v) => [positions[v * 3 + x], positions[v * 3 + y]])
  const edges = loops
    .flatMap((loop) => Array.from(loop, (v, i) => [own.get(v)!, own.get(loop[(i + 1) % loop.length])!]))
    .filter(([a, b]) => a !== b)
  const triangles = cdt2d(at, edges, { delaunay: true, interior: true, exterior: false, infinity: false })
  const side = new Map<number, number>(edges.map(([a, b]) => [a * points.length + b, 0]))
  const faces = triangles.flatMap((t) => {
    const [a, b, c] = t
    const turn = (at[b][0] - at[a][0]) * (at[c][1] - at[a][1]) - (at[b][1] - at[a][1]) * (at[c][0] - at[a][0])
    return turn > 0 ? [a, b, c] : [a, c, b]
  })
  for (let h = 0; h < faces.length; h++) {
    const key = faces[h] * points.length + faces[nextHalf(h)]
    const seen = side.get(key)
    if (seen !== undefined) side.set(key, seen + 1)
  }
  // Every edge of a rim is met once, the way the rim runs: then the cap closes it.
  if ([...side.values()].some((n) => n !== 1)) return null
  return faces.map((i) => points[i])
}
