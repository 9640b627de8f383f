import type { TriangleMesh } from '../shapes'
import { UnionFind } from '../spatial/union-find'
import { pickFaces } from './weld'

/** Part number of each vertex (connected through faces), and the number of parts that have faces. */
export function meshComponents(mesh: TriangleMesh): { label: Int32Array; count: number; faces: number[] } {
  const { indices } = mesh
  const sets = new UnionFind(mesh.positions.length / 3)
  for (let i = 0; i < indices.length; i += 3) {
    sets.union(indices[i], indices[i + 1])
    sets.union(indices[i], indices[i + 2])
  }
  const { label, sizes } = sets.labels()
  const faces = new Array<number>(sizes.length).fill(0)
  for (let i = 0; i < indices.length; i += 3) faces[label[indices[i]]]++
  return { label, count: faces.filter((f) => f > 0).length, faces }
}

/** Diagonal of the box round each part, mm. @param label part number of each vertex */
export function partSizesMm({ positions: p }: TriangleMesh, label: Int32Array): Float64Array {
  let parts = 0
  for (const l of label) if (l >= parts) parts = l + 1
  const low = new Float64Array(parts * 3).fill(Infinity),
    high = new Float64Array(parts * 3).fill(-Infinity)
  for (let v = 0; v < label.length; v++)
    for (let c = 0; c < 3; c++) {
      const x = p[v * 3 + c],
        at = label[v] * 3 + c
      if (x < low[at]) low[at] = x
      if (x > high[at]) high[at] = x
    }
  return Float64Array.from({ length: parts }, (_, part) =>
    Math.hypot(...[0, 1, 2].map((c) => high[part * 3 + c] - low[part * 3 + c])),
  )
}

/** A connected part of a mesh. */
export interface MeshPart {
  readonly faces: number
  /** Diagonal of the box round it, mm. */
  readonly sizeMm: number
}

/**
 * The largest part, others that are wanted, and those that were dropped, the one with most faces first.
 * @param shown of a point: whether a part that holds it is wanted; left out, only the largest part stays
 */
export function keepParts(
  mesh: TriangleMesh,
  shown?: (point: number) => boolean,
): { readonly mesh: TriangleMesh; readonly kept: readonly MeshPart[]; readonly dropped: readonly MeshPart[] } {
  const { label, faces } = meshComponents(mesh)
  const sizes = partSizesMm(mesh, label)
  const wanted = new Uint8Array(faces.length)
  if (shown) for (let v = 0; v < label.length; v++) if (shown(v)) wanted[label[v]] = 1
  const parts = [...faces.keys()].filter((part) => faces[part] > 0).sort((a, b) => faces[b] - faces[a])
  if (parts.length > 0) wanted[parts[0]] = 1
  const told = (stay: number): MeshPart[] =>
    parts.filter((part) => wanted[part] === stay).map((part) => ({ faces: faces[part], sizeMm: sizes[part] }))
  return {
    mesh: parts.every((part) => wanted[part] === 1) ? mesh : pickFaces(mesh, (v) => wanted[label[v]] === 1),
    kept: told(1),
    dropped: told(0),
  }
}
