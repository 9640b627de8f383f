import { movedDirection, movedPlace, movedPlaces, movedPlane, type Similarity } from '../linear/similarity'
import type { MeshRegion } from './mesh-region'

/** A region where the mesh now lies. */
export function movedRegion({ grownMm, ...region }: MeshRegion, map: Similarity): MeshRegion {
  return { ...ungrownMoved(region, map), ...(grownMm && { grownMm: grownMm * map.scale }) }
}

function ungrownMoved(region: MeshRegion, map: Similarity): MeshRegion {
  switch (region.kind) {
    case 'patch':
    case 'part':
      return { ...region, seeds: region.seeds.map((s) => movedPlace(map, s)) }
    case 'evidence':
      return region
    case 'seeds':
      return { ...region, seeds: region.seeds.map((s) => movedPlace(map, s)), reachMm: region.reachMm * map.scale }
    case 'near':
      return { ...region, places: movedPlaces(map, region.places), reachMm: region.reachMm * map.scale }
    case 'brush':
      return {
        ...region,
        path: region.path.map((s) => movedPlace(map, s)),
        radiusMm: region.radiusMm * map.scale,
        side: region.side && movedDirection(map, region.side),
      }
    case 'planes':
      return {
        ...region,
        planes: region.planes.map(([x, y, z, d]) => {
          const { normal, offset } = movedPlane(map, [x, y, z], d)
          return [...normal, offset] as const
        }),
      }
    case 'lasso':
      return {
        ...region,
        matrix: seenThrough(region.matrix, map),
        front: region.front && movedDirection(map, region.front),
      }
  }
}

/** The matrix that shows the moved things where the given one showed them before: matrix · map⁻¹. */
function seenThrough(matrix: readonly number[], { scale, motion: m }: Similarity): number[] {
  // The inverse of p → s R p + t is q → Rᵀ q / s − Rᵀ t / s.
  const inverse = new Float64Array(16)
  inverse[15] = 1
  for (let r = 0; r < 3; r++) {
    for (let c = 0; c < 3; c++) inverse[r * 4 + c] = m[c * 4 + r] / scale
    inverse[r * 4 + 3] = -(m[r] * m[3] + m[4 + r] * m[7] + m[8 + r] * m[11]) / scale
  }
  return Array.from({ length: 16 }, (_, i) => {
    const [r, c] = [Math.floor(i / 4), i % 4]
    return [0, 1, 2, 3].reduce((s, k) => s + matrix[r * 4 + k] * inverse[k * 4 + c], 0)
  })
}
