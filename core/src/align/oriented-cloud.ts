import { stage, type RunContext } from '../context'
import { estimateFeaturesSparsely, type SurfaceFeatures } from '../cloud/normals'
import { thinEvenly } from '../cloud/thin'
import { boundsOf, diagonal, type PointCloud } from '../shapes'
import { KdTree } from '../spatial/kd-tree'

/** A cloud made ready for matching: normals, rim flags, tree, and what its points say about spacing and scatter. */
export interface OrientedCloud {
  readonly positions: Float32Array
  readonly features: SurfaceFeatures
  readonly tree: KdTree
  readonly sizeMm: number
}

export function prepareCloud(cloud: PointCloud, context: RunContext): OrientedCloud {
  const tree = new KdTree(cloud.positions)
  const features = estimateFeaturesSparsely(cloud, tree, stage(context, 0.2, 1))
  return {
    positions: cloud.positions,
    // The cloud's own normals come from a device or a mesh and know more than ours; ours say where the rim is.
    features: cloud.normals && hasAllNormals(cloud.normals) ? { ...features, normals: cloud.normals } : features,
    tree,
    sizeMm: diagonal(boundsOf(cloud.positions)),
  }
}

function hasAllNormals(normals: Float32Array): boolean {
  for (let i = 0; i < normals.length; i += 3) if (normals[i] === 0 && normals[i + 1] === 0 && normals[i + 2] === 0) return false
  return true
}

/** Indices of an even sample with about `share` of the piece's size between points. */
export function evenSample(cloud: OrientedCloud, share: number): Int32Array {
  const spacing = cloud.sizeMm * share
  if (spacing <= cloud.features.spacingMm) return Int32Array.from(cloud.tree.ids)
  return thinEvenly({ kind: 'cloud', positions: cloud.positions }, spacing)
}
