import { faceCross } from '../linear/face-cross'
import type { PointCloud, TriangleMesh } from '../shapes'

/** Area-weighted unit normals per vertex. */
export function vertexNormals(mesh: TriangleMesh): Float32Array {
  const { positions: p, indices } = mesh
  const out = new Float32Array(p.length),
    cross = new Float64Array(3)
  for (let i = 0; i < indices.length; i += 3) {
    const a = indices[i] * 3,
      b = indices[i + 1] * 3,
      c = indices[i + 2] * 3
    faceCross(p, a, b, c, cross)
    for (let k = 0; k < 3; k++) {
      out[a + k] += cross[k]
      out[b + k] += cross[k]
      out[c + k] += cross[k]
    }
  }
  for (let i = 0; i < out.length; i += 3) {
    const l = Math.hypot(out[i], out[i + 1], out[i + 2]) || 1
    for (let k = 0; k < 3; k++) out[i + k] /= l
  }
  return out
}

/** A mesh as a take: its vertices as oriented points. */
export function cloudOfMesh(mesh: TriangleMesh): PointCloud {
  return {
    kind: 'cloud',
    positions: mesh.positions,
    normals: mesh.normals ?? vertexNormals(mesh),
    ...(mesh.colours && { colours: mesh.colours }),
    ...(mesh.originMm && { originMm: mesh.originMm }),
  }
}
