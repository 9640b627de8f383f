import { faceCross } from '../linear/face-cross'

/** Unit normal, middle and area of each face. */
export interface Facets {
  readonly normals: Float64Array
  readonly middles: Float64Array
  readonly areas: Float64Array
}

export function facetsOf(p: Float32Array | Float64Array, indices: Uint32Array): Facets {
  const faces = indices.length / 3
  const normals = new Float64Array(faces * 3),
    middles = new Float64Array(faces * 3),
    areas = new Float64Array(faces)
  const cross = new Float64Array(3)
  for (let f = 0; f < faces; f++) {
    const [a, b, c] = [indices[f * 3] * 3, indices[f * 3 + 1] * 3, indices[f * 3 + 2] * 3]
    const twice = faceCross(p, a, b, c, cross)
    areas[f] = twice / 2
    for (let k = 0; k < 3; k++) {
      normals[f * 3 + k] = twice > 0 ? cross[k] / twice : 0
      middles[f * 3 + k] = (p[a + k] + p[b + k] + p[c + k]) / 3
    }
  }
  return { normals, middles, areas }
}
