import { GeometryError } from '../errors'
import { faceCross } from '../linear/face-cross'
import { edgeTopology } from '../mesh/topology'
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
export const connectedFaces = (mesh: TriangleMesh, seed: number): Uint8Array => walk(mesh, seed, () => true)

/**
 * The even patch round a face: what is reached over edges that bend by no more than an angle.
 * @param bendDeg 0–180, between the normals of two faces that share an edge
 * @throws PARAMS for an angle outside that
 */
export function smoothFaces(mesh: TriangleMesh, seed: number, bendDeg: number): Uint8Array {
  if (!(bendDeg >= 0 && bendDeg <= 180))
    throw new GeometryError('PARAMS', `The bend must lie between 0 and 180 degrees, not ${bendDeg}.`)
  const { normals: n } = faceItems(mesh)
  const cosine = Math.cos((bendDeg * Math.PI) / 180) - 1e-6
  return walk(
    mesh,
    seed,
    (f, g) => n[f * 3] * n[g * 3] + n[f * 3 + 1] * n[g * 3 + 1] + n[f * 3 + 2] * n[g * 3 + 2] >= cosine,
  )
}

/** The flat patch round a face: connected faces whose corners lie near its plane and whose normals go with it. */
export function flatFaces(
  mesh: TriangleMesh,
  seed: number,
  { distanceMm, angleDeg }: { readonly distanceMm: number; readonly angleDeg: number },
): Uint8Array {
  if (!(distanceMm > 0))
    throw new GeometryError('PARAMS', `The distance from the plane must be more than 0 mm, not ${distanceMm}.`)
  const { positions: middles, normals: n } = faceItems(mesh)
  const s = seed * 3
  if (n[s] === 0 && n[s + 1] === 0 && n[s + 2] === 0)
    throw new GeometryError('DEGENERATE', 'This triangle has no area, so it lies in no plane; choose one beside it.')
  const cosine = Math.cos((angleDeg * Math.PI) / 180)
  const off = (p: Float32Array, k: number): number =>
    n[s] * (p[k] - middles[s]) + n[s + 1] * (p[k + 1] - middles[s + 1]) + n[s + 2] * (p[k + 2] - middles[s + 2])
  return walk(mesh, seed, (_, g) => {
    for (let k = 0; k < 3; k++)
      if (Math.abs(off(mesh.positions, mesh.indices[g * 3 + k] * 3)) > distanceMm) return false
    return n[s] * n[g * 3] + n[s + 1] * n[g * 3 + 1] + n[s + 2] * n[g * 3 + 2] >= cosine
  })
}

/** Faces with a corner in common with the set are taken in, as often as told. */
export function growFaces({ positions, indices }: TriangleMesh, bits: Uint8Array, rings = 1): Uint8Array {
  let out = bits.slice()
  const touched = new Uint8Array(positions.length / 3)
  for (let ring = 0; ring < rings; ring++) {
    for (let i = 0; i < indices.length; i++) if (hasBit(out, Math.floor(i / 3))) touched[indices[i]] = 1
    const wider = out.slice()
    for (let i = 0; i < indices.length; i++) if (touched[indices[i]] === 1) setBit(wider, Math.floor(i / 3))
    out = wider
  }
  return out
}

/** Walks over shared edges from face to face, for as long as a step may be taken. */
function walk(mesh: TriangleMesh, seed: number, may: (from: number, to: number) => boolean): Uint8Array {
  const faces = mesh.indices.length / 3
  if (!(Number.isInteger(seed) && seed >= 0 && seed < faces))
    throw new GeometryError('RANGE', `There is no triangle ${seed + 1}; there are ${faces}.`)
  const { twin } = edgeTopology(mesh)
  const bits = emptyBits(faces)
  setBit(bits, seed)
  const queue = [seed]
  while (queue.length > 0) {
    const f = queue.pop()!
    for (let h = f * 3; h < f * 3 + 3; h++) {
      const g = Math.floor(twin[h] / 3)
      if (twin[h] < 0 || hasBit(bits, g) || !may(f, g)) continue
      setBit(bits, g)
      queue.push(g)
    }
  }
  return bits
}
