import { surfaceAreaMm2 } from '../cloud/area'
import { estimateFeatures } from '../cloud/normals'
import { thinEvenly } from '../cloud/thin'
import { quietContext } from '../context'
import { isGeometryError } from '../errors'
import { transformPoints, type Motion } from '../linear/rigid'
import { meshAreaMm2 } from '../mesh/sample-surface'
import { boundsOf, diagonal, pickPoints, type PointCloud } from '../shapes'
import { bendOf, type SkinGround } from './predict'
import { makeSkin } from './skin'

/** Cells across the piece that a trial keeps a point of, and nodes of its grid. */
const POINTS_ACROSS = 110
const NODES_ACROSS = 64

/**
 * What a skin over joined takes will have to cover: the area of a coarse one, made on the spot in about half a second,
 * and how much it bends. Points alone do not say it: what no take saw is closed, and may be more than what they saw.
 * @param takes with their motions to the common frame; normals are estimated where there are none
 */
export function trialSkin(
  takes: readonly { readonly cloud: PointCloud; readonly motion: Motion }[],
  closed = true,
): SkinGround {
  const points = takes.reduce((n, t) => n + t.cloud.positions.length / 3, 0)
  const all = new Float32Array(points * 3)
  let at = 0
  for (const { cloud, motion } of takes) {
    transformPoints(motion, cloud.positions, all.subarray(at, at + cloud.positions.length))
    at += cloud.positions.length
  }
  if (points === 0) return { areaMm2: 0 }
  const box = boundsOf(all)
  const size = diagonal(box)
  if (!(size > 0)) return { areaMm2: 0 }
  const extentMm = box.max.map((v, c) => v - box.min[c])
  const context = quietContext(1)
  const thinned = takes.map(({ cloud, motion }) => {
    const few = pickPoints(cloud, thinEvenly(cloud, size / POINTS_ACROSS))
    return { cloud: few.normals ? few : { ...few, normals: estimateFeatures(few, context).normals }, motion }
  })
  try {
    const spacingMm = size / NODES_ACROSS
    const { mesh } = makeSkin(thinned, { spacingMm, closed }, context)
    const areaMm2 = meshAreaMm2(mesh)
    return { areaMm2, bend: bendOf(areaMm2, spacingMm, mesh.indices.length / 3), extentMm, points }
  } catch (error) {
    // Too few points, or nothing that encloses anything: the skin itself will say so.
    if (!isGeometryError(error)) throw error
    return { areaMm2: surfaceAreaMm2(all), extentMm, points }
  }
}
