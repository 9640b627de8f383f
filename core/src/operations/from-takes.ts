import { stage, type RunContext } from '../context'
import { supportOf } from '../fuse/support'
import { vertexNormals } from '../mesh/normals'
import type { PointCloud, TriangleMesh } from '../shapes'
import type { Motions } from './artefacts'
import { pointsUnderSkin, type UnderSkin } from './skin-takes'

/**
 * How far each point of a skin lies from the takes' own points near it, mm: outside their mean is more than 0, inside
 * less; NaN where no take has a point that faces alike. The mean of some points lies nearer to the true surface than
 * any of them: this is what mending changed, not the noise of the device.
 */
export function distanceFromTakes(
  mesh: TriangleMesh,
  ground: { readonly takes: readonly PointCloud[]; readonly motions?: Motions },
  params: UnderSkin,
  context: RunContext,
): Float32Array {
  const points = pointsUnderSkin(ground, params, stage(context, 0, 0.2))
  const { takes } = supportOf(mesh.positions, vertexNormals(mesh), points, stage(context, 0.2, 1))
  return Float32Array.from({ length: mesh.positions.length / 3 }, (_, v) => {
    let off = 0,
      count = 0
    for (const t of takes) {
      off += t.offMm[v]
      count += t.count[v]
    }
    return count > 0 ? -off / count : NaN
  })
}
