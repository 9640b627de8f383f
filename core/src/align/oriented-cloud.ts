import type { RunContext } from '../context'
import { estimateFeaturesSparsely, type OrderedFeatures } from '../cloud/sparse-features'
import { thinEvenly } from '../cloud/thin'
import { boundsOf, diagonal, type PointCloud } from '../shapes'
import { KdTree } from '../spatial/kd-tree'

/** A cloud made ready for matching: normals, rim flags, and what its points say about spacing and scatter. */
export class OrientedCloud {
  constructor(
    readonly positions: Float32Array,
    readonly features: OrderedFeatures,
    readonly sizeMm: number,
    private made?: KdTree,
  ) {}

  /** Made when first asked for: matching needs that of one side only. */
  get tree(): KdTree {
    return (this.made ??= new KdTree(this.positions))
  }
}

/** A cloud made ready for matching: normals, rims, spacing and scatter are found. @throws CANCELLED */
export function prepareCloud(cloud: PointCloud, context: RunContext): OrientedCloud {
  return orientedCloud(cloud, estimateFeaturesSparsely(cloud, context))
}

/** A cloud whose features are known already. @param tree over the same points; made where left out */
export function orientedCloud(cloud: PointCloud, features: OrderedFeatures, tree?: KdTree): OrientedCloud {
  // The cloud's own normals come from a device or a mesh and know more than ours; ours say where the rim is.
  const own = cloud.normals && hasAllNormals(cloud.normals)
  return new OrientedCloud(
    cloud.positions,
    own ? { ...features, normals: cloud.normals } : features,
    diagonal(boundsOf(cloud.positions)),
    tree,
  )
}

function hasAllNormals(normals: Float32Array): boolean {
  for (let i = 0; i < normals.length; i += 3)
    if (normals[i] === 0 && normals[i + 1] === 0 && normals[i + 2] === 0) return false
  return true
}

/** Indices of an even sample with about `share` of the piece's size between points. */
export function evenSample(cloud: OrientedCloud, share: number): Int32Array {
  const spacing = cloud.sizeMm * share
  if (spacing <= cloud.features.spacingMm) return cloud.features.order
  return thinEvenly({ kind: 'cloud', positions: cloud.positions }, spacing)
}
