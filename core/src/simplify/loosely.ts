import { MeshoptSimplifier } from 'meshoptimizer'
import { dropUnusedVertices, weldVertices } from '../mesh/weld'
import { withOtherFaces, type TriangleMesh } from '../shapes'

/** Fewer faces in one pass, whatever becomes of folds and pinches: for surfaces that are only looked at. */
export async function simplifyLoosely(input: TriangleMesh, faces: number): Promise<TriangleMesh> {
  await MeshoptSimplifier.ready
  const mesh = weldVertices({ kind: 'mesh', positions: input.positions, indices: input.indices })
  if (mesh.indices.length / 3 <= faces) return mesh
  const [found] = MeshoptSimplifier.simplify(mesh.indices, mesh.positions, 3, faces * 3, 1e30, [
    'LockBorder',
    'ErrorAbsolute',
  ])
  return dropUnusedVertices(withOtherFaces(mesh, Uint32Array.from(found)))
}
