import type { TriangleMesh } from '@holosoma/core'
import { vertexNormals } from '@holosoma/core'
import { fitFace } from '@holosoma/core/sculpt'
import { hasBit } from '@holosoma/core/select'
import { TriangleBvh } from '@holosoma/core/spatial'

const made = new WeakMap<TriangleMesh, TriangleBvh>()

/** Boxes over the faces of a mesh, made when first asked for and kept as long as the mesh is. */
export function facesOf(mesh: TriangleMesh): TriangleBvh {
  let bvh = made.get(mesh)
  if (!bvh) made.set(mesh, (bvh = new TriangleBvh(mesh)))
  return bvh
}

/** The plane most of some faces lie in, facing against them: what lies behind them stays when it cuts. Null for none. */
export function planeOfFaces(
  mesh: TriangleMesh,
  bits: Uint8Array,
): { normal: [number, number, number]; offsetMm: number } | null {
  const corners = new Set<number>()
  mesh.indices.forEach((v, i) => {
    if (hasBit(bits, Math.floor(i / 3))) corners.add(v)
  })
  const list = Int32Array.from(corners)
  const weights = new Float64Array(list.length).fill(1)
  const form = fitFace({ p: mesh.positions, n: vertexNormals(mesh), list, weights })
  if (!form) return null
  const normal = form.normal.map((v) => -v) as [number, number, number]
  return { normal, offsetMm: -form.offsetMm }
}
