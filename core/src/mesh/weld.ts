import { pickPoints, pickTriangles, type TriangleMesh } from '../shapes'

/**
 * Makes one vertex of those at exactly the same place (−0 counts as 0). Returns for each input vertex the number of its
 * survivor, and the survivors in order of first appearance. Open addressing on the coordinates' bits.
 */
export function weldIndex(positions: Float32Array): { remap: Uint32Array; kept: Uint32Array } {
  const n = positions.length / 3
  const bits = new Uint32Array(positions.buffer, positions.byteOffset, positions.length)
  let size = 16
  while (size < n * 2) size *= 2
  const table = new Int32Array(size).fill(-1)
  const remap = new Uint32Array(n)
  const kept = new Uint32Array(n)
  let count = 0
  for (let i = 0; i < n; i++) {
    const a = positions[i * 3] === 0 ? 0 : bits[i * 3]
    const b = positions[i * 3 + 1] === 0 ? 0 : bits[i * 3 + 1]
    const c = positions[i * 3 + 2] === 0 ? 0 : bits[i * 3 + 2]
    let h = Math.imul(a, 0x9e3779b1) ^ Math.imul(b, 0x85ebca77) ^ Math.imul(c, 0xc2b2ae3d)
    h ^= h >>> 15
    h = Math.imul(h, 0x2c1b3c6d)
    h ^= h >>> 13
    let slot = h & (size - 1)
    for (;;) {
      const known = table[slot]
      if (known < 0) {
        table[slot] = count
        kept[count] = i
        remap[i] = count++
        break
      }
      const k = kept[known] * 3
      if (
        positions[k] === positions[i * 3] &&
        positions[k + 1] === positions[i * 3 + 1] &&
        positions[k + 2] === positions[i * 3 + 2]
      ) {
        remap[i] = known
        break
      }
      slot = (slot + 1) & (size - 1)
    }
  }
  return { remap, kept: kept.slice(0, count) }
}

/**
 * The mesh with coincident vertices merged; faces that lose a corner by it are dropped. Attributes of the first
 * survive.
 */
export function weldVertices(mesh: TriangleMesh): TriangleMesh {
  const { remap, kept } = weldIndex(mesh.positions)
  if (kept.length === mesh.positions.length / 3) return mesh
  const { indices } = mesh
  const faces = facesWhere(
    indices,
    (a, b, c) => remap[a] !== remap[b] && remap[b] !== remap[c] && remap[c] !== remap[a],
  )
  return pickTriangles(pickPoints(mesh, kept), faces, remap)
}

/** Drops vertices no face uses. */
export function dropUnusedVertices(mesh: TriangleMesh): TriangleMesh {
  const n = mesh.positions.length / 3
  const to = new Int32Array(n).fill(-1)
  const kept = new Uint32Array(n)
  let count = 0
  const indices = new Uint32Array(mesh.indices.length)
  for (let i = 0; i < indices.length; i++) {
    const v = mesh.indices[i]
    if (to[v] < 0) {
      to[v] = count
      kept[count++] = v
    }
    indices[i] = to[v]!
  }
  return { ...pickPoints(mesh, kept.slice(0, count)), indices }
}

/** The faces that are kept, with the points they use. */
export function pickFaces(mesh: TriangleMesh, keeps: (a: number, b: number, c: number) => boolean): TriangleMesh {
  return dropUnusedVertices(pickTriangles(mesh, facesWhere(mesh.indices, keeps)))
}

function facesWhere(indices: Uint32Array, keeps: (a: number, b: number, c: number) => boolean): Uint32Array {
  const faces = new Uint32Array(indices.length / 3)
  let m = 0
  for (let i = 0; i < indices.length; i += 3) if (keeps(indices[i], indices[i + 1], indices[i + 2])) faces[m++] = i / 3
  return faces.subarray(0, m)
}
