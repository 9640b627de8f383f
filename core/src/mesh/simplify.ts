import { MeshoptSimplifier } from 'meshoptimizer'
import { GeometryError } from '../errors'
import type { TriangleMesh } from '../shapes'
import { dropUnusedVertices, weldVertices } from './weld'

export interface SimplifyOptions {
  /** Faces wanted, ≥ 4. */
  readonly faces?: number
  /** Largest deviation allowed, mm, > 0. */
  readonly deviationMm?: number
}

export interface SimplifyResult {
  readonly mesh: TriangleMesh
  /** Deviation as the simplifier estimates it, mm. */
  readonly deviationMm: number
}

/**
 * Fewer faces by quadric edge collapse (meshoptimizer; Garland and Heckbert 1997), borders held. Give a face count, a deviation, or
 * both: the first limit reached stops it. Positions and indices are checked first, as the library takes anything.
 */
export async function simplifyMesh(input: TriangleMesh, options: SimplifyOptions): Promise<SimplifyResult> {
  const { faces, deviationMm } = options
  if (faces === undefined && deviationMm === undefined) throw new GeometryError('PARAMS', 'Say how many faces to keep, or how far the surface may move.')
  if (faces !== undefined && !(Number.isInteger(faces) && faces >= 4)) throw new GeometryError('PARAMS', `A closed mesh has at least 4 faces; ${faces} is too few.`)
  if (deviationMm !== undefined && !(deviationMm > 0)) throw new GeometryError('PARAMS', `The deviation must be larger than 0 mm, not ${deviationMm}.`)
  await MeshoptSimplifier.ready
  const mesh = weldVertices(input)
  const [indices, error] = MeshoptSimplifier.simplify(
    mesh.indices, mesh.positions, 3, faces === undefined ? 0 : Math.min(mesh.indices.length, faces * 3), deviationMm ?? 1e30, ['LockBorder', 'ErrorAbsolute'],
  )
  const out = dropUnusedVertices({ ...mesh, indices: Uint32Array.from(indices) })
  // Normals of merged corners are no longer those of the surface.
  const { normals: _gone, ...rest } = out
  return { mesh: rest, deviationMm: error }
}
