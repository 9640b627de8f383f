import { across } from '../linear/across'
import type { LinkedFacets } from './grow-charts'

/** A chart laid flat along its axis. */
export interface Chart {
  readonly faces: Int32Array
  /** Corners from which an edge runs that no other face of it has, by their place in `places`. */
  readonly border: Int32Array
  /** Two numbers for each corner of each face, mm, from 0 on. */
  readonly places: Float64Array
  readonly widthMm: number
  readonly heightMm: number
}

/** Ways it is turned to find the least box, over a quarter turn. */
const TURNS = 18
/** A face that leans more from the axis than this is seen from aside (cosine; 80°). */
const ASIDE = Math.cos((80 * Math.PI) / 180)

/** The chart along the mean of its normals; null where a face is seen from aside or from behind. */
export function layFlat(
  p: Float32Array,
  indices: Uint32Array,
  facets: LinkedFacets,
  faces: Int32Array,
  border: Int32Array,
): Chart | null {
  const axis = [0, 0, 0]
  for (const f of faces) for (let c = 0; c < 3; c++) axis[c] += facets.areas[f] * facets.normals[f * 3 + c]
  const l = Math.hypot(...axis)
  if (!(l > 0))
    return faces.length === 1 ? { faces, border, places: new Float64Array(6), widthMm: 0, heightMm: 0 } : null
  const [x, y, z] = axis.map((v) => v / l)
  for (const f of faces) {
    const n = f * 3
    const facing = facets.normals[n] * x + facets.normals[n + 1] * y + facets.normals[n + 2] * z
    if (facing < ASIDE && facets.areas[f] > 0) return null
  }
  const frame = new Float64Array(6)
  across(x, y, z, frame)
  const places = new Float64Array(faces.length * 6)
  for (let i = 0; i < faces.length; i++)
    for (let c = 0; c < 3; c++) {
      const v = indices[faces[i] * 3 + c] * 3
      places[i * 6 + c * 2] = frame[0] * p[v] + frame[1] * p[v + 1] + frame[2] * p[v + 2]
      places[i * 6 + c * 2 + 1] = frame[3] * p[v] + frame[4] * p[v + 1] + frame[5] * p[v + 2]
    }
  let best = Infinity,
    turn = 0
  for (let k = 0; k < TURNS; k++) {
    const a = (k * Math.PI) / 2 / TURNS
    const [w, h] = extents(places, border, Math.cos(a), Math.sin(a))
    if (w[1] - w[0] > 0 && (w[1] - w[0]) * (h[1] - h[0]) < best) {
      best = (w[1] - w[0]) * (h[1] - h[0])
      turn = a
    }
  }
  const [cos, sin] = [Math.cos(turn), Math.sin(turn)]
  const [w, h] = extents(places, border, cos, sin)
  for (let i = 0; i < places.length; i += 2) {
    const [u, v] = [places[i], places[i + 1]]
    places[i] = cos * u - sin * v - w[0]
    places[i + 1] = sin * u + cos * v - h[0]
  }
  return { faces, border, places, widthMm: w[1] - w[0], heightMm: h[1] - h[0] }
}

/** How far it reaches both ways: with all faces the right way up, its border does. */
function extents(
  places: Float64Array,
  border: Int32Array,
  cos: number,
  sin: number,
): [[number, number], [number, number]] {
  let a = Infinity,
    b = -Infinity,
    c = Infinity,
    d = -Infinity
  for (const k of border) {
    const i = k * 2
    const u = cos * places[i] - sin * places[i + 1],
      v = sin * places[i] + cos * places[i + 1]
    if (u < a) a = u
    if (u > b) b = u
    if (v < c) c = v
    if (v > d) d = v
  }
  return [
    [a, b],
    [c, d],
  ]
}
