import { stage, type RunContext } from '../context'
import { spreadOver } from '../denoise/noise'
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

/** Rings over which the takes' spread is told at a place: a few points say little of it. */
const SPREAD_ROUNDS = 4

/**
 * How far the points of the takes scatter about the surface at each point of a skin, mm: each take about its own mean,
 * so that takes that lie apart are no noise; NaN where no take has three points near.
 */
export function noiseOfTakes(
  mesh: TriangleMesh,
  ground: { readonly takes: readonly PointCloud[]; readonly motions?: Motions },
  params: UnderSkin,
  context: RunContext,
): Float32Array {
  const points = pointsUnderSkin(ground, params, stage(context, 0, 0.2))
  const { takes } = supportOf(mesh.positions, vertexNormals(mesh), points, stage(context, 0.2, 1), true)
  const squares = Float64Array.from({ length: mesh.positions.length / 3 }, (_, v) => {
    let sum = 0,
      freedoms = 0
    for (const { count, squaresMm2 } of takes)
      if (count[v] > 2) {
        sum += squaresMm2![v]
        freedoms += count[v] - 1
      }
    return freedoms > 0 ? sum / freedoms : NaN
  })
  return spreadOver(mesh.indices, squares, SPREAD_ROUNDS).map(Math.sqrt)
}
