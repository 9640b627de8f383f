import earcut from 'earcut'
import { massProperties } from '../mesh/health'
import type { TriangleMesh } from '../shapes'

/** Points one after the other, x y z; a single point is an apex. */
export type Ring = number[]

/** Closes an end in a way of its own. */
export type Cap = (builder: MeshBuilder, ring: readonly number[]) => void

/**
 * Rings of equal count (or a single point) joined into a closed mesh that faces outward; flat ends are filled by ear
 * clipping unless a cap is given.
 */
export function loft(rings: readonly Ring[], first?: Cap, last?: Cap): TriangleMesh {
  const builder = new MeshBuilder()
  const ids = rings.map((ring) => builder.points(ring))
  for (let k = 0; k + 1 < ids.length; k++) {
    const a = ids[k],
      b = ids[k + 1]
    const n = Math.max(a.length, b.length)
    for (let i = 0; i < n; i++) {
      const j = (i + 1) % n
      if (a.length === 1) builder.face(a[0], b[j], b[i])
      else if (b.length === 1) builder.face(a[i], a[j], b[0])
      else {
        builder.face(a[i], a[j], b[j])
        builder.face(a[i], b[j], b[i])
      }
    }
  }
  if (first) first(builder, ids[0])
  else builder.cap(ids[0], true)
  if (last) last(builder, ids.at(-1)!)
  else builder.cap(ids.at(-1)!, false)
  const mesh = builder.mesh()
  return massProperties(mesh).volumeMm3 < 0 ? flipped(mesh) : mesh
}

/** Collects rings of points and the faces between them; mm. */
export class MeshBuilder {
  private readonly positions: number[] = []
  private readonly indices: number[] = []

  points(ring: Ring): number[] {
    const first = this.positions.length / 3
    this.positions.push(...ring)
    return Array.from({ length: ring.length / 3 }, (_, i) => first + i)
  }

  face(a: number, b: number, c: number): void {
    this.indices.push(a, b, c)
  }

  cap(ids: readonly number[], down: boolean): void {
    if (ids.length < 3) return
    const flat = ids.flatMap((i) => [this.positions[i * 3], this.positions[i * 3 + 1]])
    const triangles = earcut(flat)
    // Ear clipping gives one sense whatever the outline's; the ring's own sense says which way is up.
    let area = 0
    for (let i = 0; i < ids.length; i++) {
      const j = (i + 1) % ids.length
      area += flat[i * 2] * flat[j * 2 + 1] - flat[j * 2] * flat[i * 2 + 1]
    }
    for (let t = 0; t < triangles.length; t += 3) {
      const [a, b, c] = [triangles[t], triangles[t + 1], triangles[t + 2]]
      const cross =
        (flat[b * 2] - flat[a * 2]) * (flat[c * 2 + 1] - flat[a * 2 + 1]) -
        (flat[c * 2] - flat[a * 2]) * (flat[b * 2 + 1] - flat[a * 2 + 1])
      const upward = cross > 0 === area > 0
      if (upward !== down) this.face(ids[a], ids[b], ids[c])
      else this.face(ids[a], ids[c], ids[b])
    }
  }

  mesh(): TriangleMesh {
    return { kind: 'mesh', positions: Float32Array.from(this.positions), indices: Uint32Array.from(this.indices) }
  }
}

function flipped(mesh: TriangleMesh): TriangleMesh {
  const indices = Uint32Array.from(mesh.indices)
  for (let i = 0; i < indices.length; i += 3) [indices[i + 1], indices[i + 2]] = [indices[i + 2], indices[i + 1]]
  return { ...mesh, indices }
}
