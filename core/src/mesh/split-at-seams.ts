import type { TriangleMesh } from '../shapes'

/**
 * A vertex for each point and place in a picture that occur together. The points come first, each with the place of its
 * first corner, so that a mesh without seams keeps its numbers.
 */
export function splitAtSeams(
  mesh: TriangleMesh,
  uvs: Float32Array,
): { mesh: TriangleMesh; pointOf: Uint32Array; uvs: Float32Array } {
  const points = mesh.positions.length / 3
  const pointOf: number[] = Array.from({ length: points }, (_, i) => i)
  const places: number[] = new Array<number>(points * 2).fill(0)
  const seen = new Uint8Array(points)
  // The vertices of one point as a chain from the point's own.
  const next = new Map<number, number>()
  const indices = new Uint32Array(mesh.indices.length)
  for (let i = 0; i < indices.length; i++) {
    const point = mesh.indices[i]
    const u = uvs[i * 2],
      v = uvs[i * 2 + 1]
    if (!seen[point]) {
      seen[point] = 1
      places[point * 2] = u
      places[point * 2 + 1] = v
    }
    let vertex = point
    while (places[vertex * 2] !== u || places[vertex * 2 + 1] !== v) {
      let after = next.get(vertex)
      if (after === undefined) {
        after = pointOf.length
        pointOf.push(point)
        places.push(u, v)
        next.set(vertex, after)
      }
      vertex = after
    }
    indices[i] = vertex
  }
  return { mesh: { ...mesh, indices }, pointOf: Uint32Array.from(pointOf), uvs: Float32Array.from(places) }
}
