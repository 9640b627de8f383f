import { MeshoptSimplifier } from 'meshoptimizer'
import { seededRandom } from '../linear/random'
import { vertexNormals } from './normals'
import { dropUnusedVertices } from './weld'
import { boundsOf, pickPoints, withOtherFaces, type Shape, type TriangleMesh } from '../shapes'

/** What the stage draws instead of the full shape; full data stay for computing and picking. */
export const PREVIEW_LIMITS = { points: 250_000, faces: 300_000 } as const

/**
 * Which points a preview holds and in which order: a seeded shuffle, so that drawing only the first part is an even
 * thinning. The same n gives the same list everywhere, so a preview needs no index of its own.
 */
export function previewIndices(n: number, limit: number = PREVIEW_LIMITS.points): Uint32Array {
  const order = Uint32Array.from({ length: n }, (_, i) => i)
  const random = seededRandom(n)
  const m = Math.min(n, limit)
  for (let i = 0; i < m; i++) {
    const j = i + Math.floor(random.next() * (n - i))
    const t = order[i]
    order[i] = order[j]!
    order[j] = t
  }
  return order.subarray(0, m)
}

/** A likeness of a mesh with about so many faces, quickly made; its form alone. */
export async function coarseMesh(mesh: TriangleMesh, faces: number): Promise<TriangleMesh> {
  const { positions, indices } = mesh
  if (indices.length / 3 <= faces) return { kind: 'mesh', positions, indices }
  await MeshoptSimplifier.ready
  const [kept] = MeshoptSimplifier.simplify(indices, positions, 3, faces * 3, 1, [])
  return dropUnusedVertices({ kind: 'mesh', positions, indices: Uint32Array.from(kept) })
}

/** The preview of a shape; a mesh below the limit is its own preview. */
export async function makePreview(shape: Shape): Promise<Shape> {
  if (shape.kind === 'cloud') return pickPoints(shape, previewIndices(shape.positions.length / 3))
  if (shape.indices.length / 3 <= PREVIEW_LIMITS.faces) return shape
  await MeshoptSimplifier.ready
  const target = PREVIEW_LIMITS.faces * 3
  const [indices] =
    shape.indices.length > 3_000_000
      ? MeshoptSimplifier.simplifySloppy(shape.indices, shape.positions, 3, null, target, 1)
      : MeshoptSimplifier.simplify(shape.indices, shape.positions, 3, target, 1, [])
  const { normals: _gone, ...rest } = dropUnusedVertices(withOtherFaces(shape, Uint32Array.from(indices)))
  return rest
}

/** A few thousand points for a thumbnail: Int16 positions in the shape's box, Int8 normals. */
export interface Thumb {
  readonly positions: Int16Array
  readonly normals: Int8Array
}

export const THUMB_POINTS = 5000

/** A few thousand points with normals, for a small picture. */
export function makeThumb(shape: Shape): Thumb {
  const normals = shape.normals ?? (shape.kind === 'mesh' ? vertexNormals(shape) : undefined)
  const picked = previewIndices(shape.positions.length / 3, THUMB_POINTS)
  const { min, max } = boundsOf(shape.positions)
  const half = Math.max(max[0] - min[0], max[1] - min[1], max[2] - min[2], 1e-9) / 2
  const positions = new Int16Array(picked.length * 3)
  const turned = new Int8Array(picked.length * 3)
  picked.forEach((p, i) => {
    for (let c = 0; c < 3; c++) {
      positions[i * 3 + c] = Math.round(((shape.positions[p * 3 + c] - (min[c] + max[c]) / 2) / half) * 32000)
      turned[i * 3 + c] = Math.round((normals ? normals[p * 3 + c] : c === 2 ? 1 : 0) * 127)
    }
  })
  return { positions, normals: turned }
}
