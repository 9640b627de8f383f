import { faceCross } from '../linear/face-cross'
import { edgeTopology } from '../mesh/topology'
import type { TriangleMesh } from '../shapes'
import { TriangleBvh } from '../spatial/triangle-bvh'
import { emptyBits, hasBit, setBit } from './bits'

/** A patch is grown anew about the way it faced before, so often: where it began may face a little otherwise. */
const ROUNDS = 3

/**
 * Faces that hang together with the one nearest to a place and face as the patch does on the whole, within an angle.
 * @returns one bit a face
 */
export function flatPatch(mesh: TriangleMesh, at: readonly number[], angleDeg: number): Uint8Array {
  const { positions: p, indices } = mesh
  const faces = indices.length / 3
  const bits = emptyBits(faces)
  const bvh = new TriangleBvh(mesh)
  if (!bvh.closest(at[0], at[1], at[2])) return bits
  const seed = bvh.result.face
  const { twin } = edgeTopology(mesh)
  const cross = new Float64Array(3)
  /** Twice its area; which way it faces in `cross`. */
  const faceOf = (f: number): number =>
    faceCross(p, indices[f * 3] * 3, indices[f * 3 + 1] * 3, indices[f * 3 + 2] * 3, cross)
  const least = Math.cos((angleDeg * Math.PI) / 180)
  faceOf(seed)
  let [mx, my, mz] = cross
  const seen = new Int32Array(faces)
  let queue: number[] = []
  for (let round = 1; round <= ROUNDS; round++) {
    const l = Math.sqrt(mx * mx + my * my + mz * mz)
    if (!(l > 0)) break
    const [nx, ny, nz] = [mx / l, my / l, mz / l]
    queue = [seed]
    seen[seed] = round
    mx = my = mz = 0
    for (let i = 0; i < queue.length; i++) {
      const f = queue[i]
      faceOf(f)
      mx += cross[0]
      my += cross[1]
      mz += cross[2]
      for (let h = f * 3; h < f * 3 + 3; h++) {
        const g = Math.floor(twin[h] / 3)
        if (twin[h] < 0 || seen[g] === round) continue
        const area = faceOf(g)
        if (area > 0 && (cross[0] * nx + cross[1] * ny + cross[2] * nz) / area < least) continue
        seen[g] = round
        queue.push(g)
      }
    }
  }
  for (const f of queue) if (!hasBit(bits, f)) setBit(bits, f)
  return bits
}
