import { stage, type RunContext } from '../context'
import { whereApart } from '../fuse/apart'
import { supportOf } from '../fuse/support'
import { vertexNormals } from '../mesh/normals'
import type { PointCloud, TriangleMesh } from '../shapes'
import type { Motions } from './artefacts'
import { pointsUnderSkin, type UnderSkin } from './skin-takes'

/**
 * Points of a skin (1) where two takes that both saw the place do not agree, as the skin was told of them.
 * @param spacingMm of the skin
 */
export function liesApart(
  mesh: TriangleMesh,
  ground: { readonly takes: readonly PointCloud[]; readonly motions?: Motions },
  params: UnderSkin,
  spacingMm: number,
  context: RunContext,
): Uint8Array {
  const points = pointsUnderSkin(ground, params, stage(context, 0, 0.2))
  const support = supportOf(mesh.positions, vertexNormals(mesh), points, stage(context, 0.2, 1))
  return Uint8Array.from(whereApart(mesh.indices, support, spacingMm).apartMm, (mm) => (mm > 0 ? 1 : 0))
}
