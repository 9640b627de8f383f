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

/** A connected part of a mesh. */
export interface MeshPart {
  readonly faces: number
  /** Diagonal of the box round it, mm. */
  readonly sizeMm: number
}

/**
 * The parts that are wanted, and those that were dropped, the largest of them first.
 * @param wants a part by its number of faces and by its points; left out, only the part with most faces stays
 */
export function keepParts(
  mesh: TriangleMesh,
  wants?: (part: MeshPart, points: Uint32Array) => boolean,
): { readonly mesh: TriangleMesh; readonly kept: readonly MeshPart[]; readonly dropped: readonly MeshPart[] } {
  const { label, faces } = meshComponents(mesh)
  const { positions: p } = mesh
  const points = faces.map((): number[] => [])
  label.forEach((part, v) => faces[part] > 0 && points[part].push(v))
  const parts = faces.flatMap((count, part) => {
    if (count === 0) return []
    const min = [Infinity, Infinity, Infinity],
      max = [-Infinity, -Infinity, -Infinity]
    for (const v of points[part])
      for (let c = 0; c < 3; c++) {
        min[c] = Math.min(min[c], p[v * 3 + c])
        max[c] = Math.max(max[c], p[v * 3 + c])
      }
    return [{ part, faces: count, sizeMm: Math.hypot(...min.map((v, c) => max[c] - v)) }]
  })
  parts.sort((a, b) => b.faces - a.faces)
  const stays = new Set(
    parts.filter((m, i) => i === 0 || wants?.(m, Uint32Array.from(points[m.part])) === true).map((m) => m.part),
  )
  const told = (stay: boolean): MeshPart[] =>
    parts.filter((m) => stays.has(m.part) === stay).map(({ faces: f, sizeMm }) => ({ faces: f, sizeMm }))
  return {
    mesh: stays.size === parts.length ? mesh : pickFaces(mesh, (v) => stays.has(label[v])),
    kept: told(true),
    dropped: told(false),
  }
}
