import { faceCross } from '../linear/face-cross'
import { edgeTopology } from '../mesh/topology'
import type { TriangleMesh } from '../shapes'
import { TriangleBvh } from '../spatial/triangle-bvh'
import { emptyBits, hasBit } from './bits'
import { faceItems, walkFaces } from './faces'

/** A patch is grown anew about the way it faced before, so often: where it began may face a little otherwise. */
const ROUNDS = 3

/**
 * Faces that hang together with the one nearest to a place and face as the patch does on the whole, within an angle.
 * @returns one bit a face
 */
export function flatPatch(mesh: TriangleMesh, [x, y, z]: readonly number[], angleDeg: number): Uint8Array {
  let bits = emptyBits(mesh.indices.length / 3)
  const bvh = new TriangleBvh(mesh)
  if (!bvh.closest(x, y, z)) return bits
  const seed = bvh.result.face
  const topology = edgeTopology(mesh)
  const { normals: n } = faceItems(mesh)
  const least = Math.cos((angleDeg * Math.PI) / 180)
  let way: ArrayLike<number> = n.subarray(seed * 3, seed * 3 + 3)
  for (let round = 0; round < ROUNDS; round++) {
    const [wx, wy, wz] = [way[0], way[1], way[2]]
    bits = walkFaces(mesh, topology, seed, (f) => n[f * 3] * wx + n[f * 3 + 1] * wy + n[f * 3 + 2] * wz >= least)
    way = meanOf(mesh, bits)
  }
  return bits
}

/** The mean direction of a set of faces, each by its area. */
function meanOf({ positions, indices }: TriangleMesh, bits: Uint8Array): Float64Array {
  const sum = new Float64Array(3),
    cross = new Float64Array(3)
  for (let f = 0; f < indices.length; f += 3) {
    if (!hasBit(bits, f / 3)) continue
    faceCross(positions, indices[f] * 3, indices[f + 1] * 3, indices[f + 2] * 3, cross)
    for (let c = 0; c < 3; c++) sum[c] += cross[c]
  }
  const length = Math.hypot(...sum) || 1
  return sum.map((v) => v / length)
}
