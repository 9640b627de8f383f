import { GeometryError } from '../errors'
import { faceCross } from '../linear/face-cross'
import { edgeTopology, type EdgeTopology } from '../mesh/topology'
import type { TriangleMesh } from '../shapes'
import { emptyBits, hasBit, setBit } from './bits'
import type { Items } from './lasso'

/**
 * The faces of a mesh as things to choose from: their middles, and their unit normals. Lasso, brush, box and plane take
 * them as they take points. A face without area has no normal.
 */
export function faceItems({ positions: p, indices }: TriangleMesh): Items & { readonly normals: Float32Array } {
  const positions = new Float32Array(indices.length),
    normals = new Float32Array(indices.length),
    cross = new Float64Array(3)
  for (let i = 0; i < indices.length; i += 3) {
    const a = indices[i] * 3,
      b = indices[i + 1] * 3,
      c = indices[i + 2] * 3
    const length = faceCross(p, a, b, c, cross)
    for (let k = 0; k < 3; k++) {
      positions[i + k] = (p[a + k] + p[b + k] + p[c + k]) / 3
      normals[i + k] = length > 0 ? cross[k] / length : 0
    }
  }
  return { positions, normals }
}

/** Surface of a set of faces, mm². */
export function areaOfFaces({ positions, indices }: TriangleMesh, bits: Uint8Array): number {
  const cross = new Float64Array(3)
  let sum = 0
  for (let f = 0; f < indices.length; f += 3)
    if (hasBit(bits, f / 3))
      sum += faceCross(positions, indices[f] * 3, indices[f + 1] * 3, indices[f + 2] * 3, cross) / 2
  return sum
}

/** All faces that hang together with one by shared edges. */
export const connectedFaces = (mesh: TriangleMesh, seed: number): Uint8Array =>
  walkFaces(mesh, edgeTopology(mesh), seed, () => true)

/** Walks over shared edges from face to face, onto those that may be stepped on. @throws RANGE for a face there is not */
export function walkFaces(
  mesh: TriangleMesh,
  { twin }: EdgeTopology,
  seed: number,
  may: (to: number) => boolean,
): Uint8Array {
  const faces = mesh.indices.length / 3
  if (!(Number.isInteger(seed) && seed >= 0 && seed < faces))
    throw new GeometryError('RANGE', `There is no triangle ${seed + 1}; there are ${faces}.`)
  const bits = emptyBits(faces)
  setBit(bits, seed)
  const queue = [seed]
  while (queue.length > 0) {
    const f = queue.pop()!
    for (let h = f * 3; h < f * 3 + 3; h++) {
      const g = Math.floor(twin[h] / 3)
      if (twin[h] < 0 || hasBit(bits, g) || !may(g)) continue
      setBit(bits, g)
      queue.push(g)
    }
  }
  return bits
}
