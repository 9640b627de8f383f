import { GeometryError } from '../errors'
import { evenEdgeMm } from '../mesh/sample-surface'
import { edgeTopology } from '../mesh/topology'
import { KdTree } from '../spatial/kd-tree'
import { TriangleBvh } from '../spatial/triangle-bvh'
import { EVIDENCE, type TriangleMesh } from '../shapes'
import { emptyBits, hasBit, setBit } from './bits'
import { selectByBrush } from './brush'
import { connectedFaces, faceItems } from './faces'
import { flatPatch } from './flat-patch'
import { grownFaces } from './grow-faces'
import { addMeshDepth, emptyDepth, frontOf } from './front'
import { pixelsOf, selectInPolygon, type Items } from './lasso'
import type { View } from './view'

/*
 * A part of a surface as geometry: what was pointed at, drawn or laid round it, never a list of triangles. So the same
 * part is found on another mesh of the same piece.
 */

/** What hangs together with places on the surface, within a reach of them. */
export interface SeedRegion {
  readonly kind: 'seeds'
  readonly seeds: readonly (readonly number[])[]
  readonly reachMm: number
}
/** What a brush went over. */
export interface BrushRegion {
  readonly kind: 'brush'
  readonly path: readonly (readonly number[])[]
  readonly radiusMm: number
  /** Only what faces this way; null: all within the radius. */
  readonly side: readonly [number, number, number] | null
}
/** What lies inside a drawn outline, as the stage showed it. */
export interface LassoRegion {
  readonly kind: 'lasso'
  /** x, y, x, y … in pixels of the stage. */
  readonly polygon: readonly number[]
  /** 4×4, row by row: coordinates of the mesh → clip space. */
  readonly matrix: readonly number[]
  readonly width: number
  readonly height: number
  /** Where the eye looks, for what it sees there and nothing hides; null: through and through. */
  readonly front: readonly [number, number, number] | null
}
/** What lies on the inner side of every plane: x, y, z of its normal and its offset. */
export interface PlanesRegion {
  readonly kind: 'planes'
  readonly planes: readonly (readonly [number, number, number, number])[]
}
/** What hangs together with a place and faces as it does, within an angle. */
export interface PatchRegion {
  readonly kind: 'patch'
  readonly seeds: readonly (readonly number[])[]
  readonly angleDeg: number
}
/** All that hangs together with a place. */
export interface PartRegion {
  readonly kind: 'part'
  readonly seeds: readonly (readonly number[])[]
}
/** What came to be in a way: measured, carried, invented. */
export interface EvidenceRegion {
  readonly kind: 'evidence'
  readonly of: keyof typeof EVIDENCE
}
/** What lies within a reach of any of many places: an area that was painted elsewhere. */
export interface NearRegion {
  readonly kind: 'near'
  /** x, y, z, x, y, z …, mm. */
  readonly places: readonly number[]
  readonly reachMm: number
}
export type MeshRegion = (
  NearRegion | SeedRegion | BrushRegion | LassoRegion | PlanesRegion | PatchRegion | PartRegion | EvidenceRegion
) & {
  /** What lies round it as far as this is in it, too; less than 0: it is smaller by so much, mm. */
  readonly grownMm?: number | null
}

/** The faces of a region. @throws PARAMS for one that says nothing */
export function facesOfRegion(mesh: TriangleMesh, region: MeshRegion): Uint8Array {
  const bits = ungrown(mesh, region)
  return region.grownMm ? grownFaces(mesh, bits, region.grownMm) : bits
}

function ungrown(mesh: TriangleMesh, region: MeshRegion): Uint8Array {
  switch (region.kind) {
    case 'patch':
      return together(mesh, region.seeds, (at) => flatPatch(mesh, at, region.angleDeg))
    case 'part':
      return together(mesh, region.seeds, ([x, y, z]) => {
        const bvh = new TriangleBvh(mesh)
        return bvh.closest(x, y, z) ? connectedFaces(mesh, bvh.result.face) : emptyBits(mesh.indices.length / 3)
      })
    case 'evidence': {
      const { evidence, indices } = mesh
      const bits = emptyBits(indices.length / 3)
      if (!evidence)
        throw new GeometryError('PARAMS', 'Nobody knows how this surface came to be; it holds no evidence.')
      // A face is as good as its weakest corner.
      for (let f = 0; f < indices.length; f += 3)
        if (Math.max(evidence[indices[f]], evidence[indices[f + 1]], evidence[indices[f + 2]]) === EVIDENCE[region.of])
          setBit(bits, f / 3)
      return bits
    }
    case 'seeds':
      return nearSeeds(mesh, region)
    case 'near': {
      const tree = new KdTree(Float32Array.from(region.places))
      const { positions: p } = faceItems(mesh)
      const bits = emptyBits(p.length / 3)
      for (let f = 0; f < p.length / 3; f++)
        if (tree.nearest(p[f * 3], p[f * 3 + 1], p[f * 3 + 2], region.reachMm ** 2) >= 0) setBit(bits, f)
      return bits
    }
    case 'brush':
      return selectByBrush(faceItems(mesh), region.path.flat(), region.radiusMm, null, region.side)
    case 'lasso': {
      const items = faceItems(mesh)
      const pixels = pixelsOf(items, region)
      return selectInPolygon(pixels, region, region.polygon, region.front && seenFaces(mesh, items, region, pixels))
    }
    case 'planes': {
      const { positions: p } = faceItems(mesh)
      const bits = emptyBits(p.length / 3)
      for (let f = 0; f < p.length / 3; f++)
        if (region.planes.every(([x, y, z, d]) => x * p[f * 3] + y * p[f * 3 + 1] + z * p[f * 3 + 2] >= d))
          setBit(bits, f)
      return bits
    }
  }
}

/** The faces found from any of some places. @throws PARAMS where there is none */
function together(
  mesh: TriangleMesh,
  seeds: readonly (readonly number[])[],
  from: (at: readonly number[]) => Uint8Array,
): Uint8Array {
  if (seeds.length === 0) throw new GeometryError('PARAMS', 'Say where: the region has no place.')
  const all = emptyBits(mesh.indices.length / 3)
  for (const seed of seeds) from(seed).forEach((byte, i) => (all[i] |= byte))
  return all
}

/** Faces that face the eye, and before which nothing of the mesh lies. */
function seenFaces(mesh: TriangleMesh, items: Items, view: View, pixels: Uint32Array): Uint8Array {
  const buffer = emptyDepth(view.width, view.height)
  addMeshDepth(buffer, mesh.positions, mesh.indices, view)
  return frontOf(items, view, pixels, { ...buffer, toleranceMm: evenEdgeMm(mesh) })
}

/** Faces that hang together with the one nearest to a seed, and have a point within its reach. */
function nearSeeds(mesh: TriangleMesh, { seeds, reachMm }: SeedRegion): Uint8Array {
  if (seeds.length === 0) throw new GeometryError('PARAMS', 'Say where: the region has no place.')
  if (!(reachMm > 0)) throw new GeometryError('PARAMS', `The reach must be more than 0 mm, not ${reachMm}.`)
  const { positions: p, indices } = mesh
  const { twin } = edgeTopology(mesh)
  const bvh = new TriangleBvh(mesh)
  const bits = emptyBits(indices.length / 3)
  for (const [x, y, z] of seeds) {
    if (!bvh.closest(x, y, z)) continue
    const within = (f: number): boolean => {
      let mx = 0,
        my = 0,
        mz = 0
      for (let c = 0; c < 3; c++) {
        const v = indices[f * 3 + c] * 3
        mx += p[v] / 3
        my += p[v + 1] / 3
        mz += p[v + 2] / 3
      }
      return Math.hypot(mx - x, my - y, mz - z) <= reachMm
    }
    const queue = [bvh.result.face]
    const seen = new Set(queue)
    while (queue.length > 0) {
      const f = queue.pop()!
      if (!within(f)) continue
      if (!hasBit(bits, f)) setBit(bits, f)
      for (let h = f * 3; h < f * 3 + 3; h++) {
        const g = Math.floor(twin[h] / 3)
        if (twin[h] >= 0 && !seen.has(g)) {
          seen.add(g)
          queue.push(g)
        }
      }
    }
  }
  return bits
}

/** Places that tell where a region lies: seeds, the brush's path; null where the drawing alone does not say. */
export function placesOfRegion(region: MeshRegion): readonly (readonly number[])[] | null {
  if (region.kind === 'seeds' || region.kind === 'patch' || region.kind === 'part') return region.seeds
  return region.kind === 'brush' ? region.path : null
}
