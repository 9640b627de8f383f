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

/** The part with most faces, and how many others were dropped. */
export function keepLargestComponent(mesh: TriangleMesh): { mesh: TriangleMesh; dropped: number } {
  const { label, count, faces } = meshComponents(mesh)
  if (count <= 1) return { mesh, dropped: 0 }
  let best = 0
  for (let i = 1; i < faces.length; i++) if (faces[i] > faces[best]) best = i
  return { mesh: pickFaces(mesh, (v) => label[v] === best), dropped: count - 1 }
}
