import { wayFrom } from '../mesh/way-from'
import type { TriangleMesh } from '../shapes'
import { emptyBits, hasBit, setBit } from './bits'

/**
 * Faces of a set and those round it, as far as a way along the surface; for less than 0, those of the set that lie so
 * far from all others.
 */
export function grownFaces(mesh: TriangleMesh, bits: Uint8Array, byMm: number): Uint8Array {
  const { indices, positions } = mesh
  const faces = indices.length / 3
  const isIn = (f: number): boolean => hasBit(bits, f) === byMm > 0
  const marked = new Uint8Array(positions.length / 3)
  for (let f = 0; f < faces; f++) if (isIn(f)) for (let c = 0; c < 3; c++) marked[indices[f * 3 + c]] = 1
  const way = wayFrom(mesh, marked, Math.abs(byMm))
  const out = emptyBits(faces)
  for (let f = 0; f < faces; f++) {
    const reached = isIn(f) || [0, 1, 2].every((c) => way[indices[f * 3 + c]] <= Math.abs(byMm))
    if (reached === byMm > 0) setBit(out, f)
  }
  return out
}
