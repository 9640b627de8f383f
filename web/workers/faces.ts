import type { TriangleMesh } from '@holosoma/core'
import { TriangleBvh } from '@holosoma/core/spatial'

const made = new WeakMap<TriangleMesh, TriangleBvh>()

/** Boxes over the faces of a mesh, made when first asked for and kept as long as the mesh is. */
export function facesOf(mesh: TriangleMesh): TriangleBvh {
  let bvh = made.get(mesh)
  if (!bvh) made.set(mesh, (bvh = new TriangleBvh(mesh)))
  return bvh
}
