import { refineInFour } from '../remesh/refine'
import type { TriangleMesh } from '../shapes'
import { icosahedron } from './solids'

/* Meshes made of others, for tests. */

/** Several as one; points that coincide stay two. */
export function merged(...parts: readonly TriangleMesh[]): TriangleMesh {
  const positions: number[] = [],
    indices: number[] = []
  for (const part of parts) {
    const base = positions.length / 3
    for (const v of part.positions) positions.push(v)
    for (const i of part.indices) indices.push(i + base)
  }
  return { kind: 'mesh', positions: Float32Array.from(positions), indices: Uint32Array.from(indices) }
}

/** Moved by so much, mm. */
export const shifted = (mesh: TriangleMesh, x: number, y = 0, z = 0): TriangleMesh => ({
  ...mesh,
  positions: mesh.positions.map((v, i) => v + [x, y, z][i % 3]),
})

/** All faces turned over, or those listed. */
export function turnedOver(mesh: TriangleMesh, faces?: readonly number[]): TriangleMesh {
  const indices = mesh.indices.slice()
  for (const f of faces ?? Array.from({ length: indices.length / 3 }, (_, i) => i)) {
    indices[f * 3 + 1] = mesh.indices[f * 3 + 2]
    indices[f * 3 + 2] = mesh.indices[f * 3 + 1]
  }
  return { ...mesh, indices }
}

/** Faces whose corners all lie where a test says so. */
export const facesWhere = (mesh: TriangleMesh, is: (x: number, y: number, z: number) => boolean): number[] =>
  Array.from({ length: mesh.indices.length / 3 }, (_, f) => f).filter((f) =>
    [0, 1, 2].every((c) => {
      const v = mesh.indices[f * 3 + c] * 3
      return is(mesh.positions[v], mesh.positions[v + 1], mesh.positions[v + 2])
    }),
  )

/** Every face in four, so many times: what is flat stays flat. */
export const inFour = (mesh: TriangleMesh, times: number): TriangleMesh =>
  times === 0 ? mesh : inFour(refineInFour(mesh), times - 1)

/** A ball: the regular solid of twenty faces, each in four so many times, its points laid on the ball. */
export function ballMesh(radius: number, times: number): TriangleMesh {
  const { positions: p, indices } = inFour(icosahedron(), times)
  const positions = p.slice()
  for (let v = 0; v < p.length; v += 3) {
    const scale = radius / Math.hypot(p[v], p[v + 1], p[v + 2])
    for (let c = 0; c < 3; c++) positions[v + c] = p[v + c] * scale
  }
  return { kind: 'mesh', positions, indices }
}
