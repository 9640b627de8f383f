import { faceCross } from '../linear/face-cross'
import { HalfEdgeMesh } from '../mesh/half-edge-mesh'

/** New points a patch gets at most; and for each square of its rim's mean edge that its area holds. */
const MAX_NEW = 150_000
const MAX_A_SQUARE = 4
const MIN_MOST = 200
const ROUNDS = 12
const MAX_FLIPS_PER_EDGE = 8

/** Faces of a patch, and the places of its new points, which are numbered from `firstNew` on. */
export interface Patch {
  readonly faces: number[]
  readonly added: number[]
}

/**
 * Makes a patch as fine as its rim: middles of faces are put in while a face is much larger than the edges of the rim
 * suggest, then edges are turned (Liepa 2003, section 3).
 * @param base places of the points there are, three numbers each
 * @param ring the points round the patch @param triangles corner triples
 * @param isEdge whether the mesh has an edge between two points already
 */
export function refinePatch(
  base: Float32Array,
  firstNew: number,
  ring: Int32Array,
  triangles: readonly number[],
  isEdge: (a: number, b: number) => boolean,
): Patch {
  const added: number[] = []
  const at = (v: number, c: number): number => (v < firstNew ? base[v * 3 + c] : added[(v - firstNew) * 3 + c])
  const distance = (a: number, b: number): number =>
    Math.hypot(at(a, 0) - at(b, 0), at(a, 1) - at(b, 1), at(a, 2) - at(b, 2))
  const scale = new Map<number, number>()
  ring.forEach((v, i) =>
    scale.set(
      v,
      (distance(v, ring[(i + 1) % ring.length]) + distance(v, ring[(i + ring.length - 1) % ring.length])) / 2,
    ),
  )
  let around = 0
  ring.forEach((v, i) => (around += distance(v, ring[(i + 1) % ring.length])))
  const edge = around / ring.length
  const most = Math.min(MAX_NEW, MIN_MOST + (MAX_A_SQUARE * areaOf(base, triangles)) / (edge * edge))
  let faces = triangles.slice()
  for (let round = 0; round < ROUNDS; round++) {
    const next: number[] = []
    let split = 0
    for (let f = 0; f < faces.length; f += 3) {
      const [a, b, c] = [faces[f], faces[f + 1], faces[f + 2]]
      const mid = [0, 1, 2].map((k) => (at(a, k) + at(b, k) + at(c, k)) / 3)
      const want = (scale.get(a)! + scale.get(b)! + scale.get(c)!) / 3
      const far = [a, b, c].every(
        (v) =>
          Math.SQRT2 * Math.hypot(at(v, 0) - mid[0], at(v, 1) - mid[1], at(v, 2) - mid[2]) >
          Math.max(want, scale.get(v)!),
      )
      if (!far || added.length > most * 3) {
        next.push(a, b, c)
        continue
      }
      const v = firstNew + added.length / 3
      added.push(mid[0], mid[1], mid[2])
      scale.set(v, want)
      next.push(a, b, v, b, c, v, c, a, v)
      split++
    }
    faces = next
    if (split === 0) break
    relaxEdges(faces, at, isEdge)
  }
  return { faces, added }
}

function areaOf(p: Float32Array, faces: readonly number[]): number {
  const cross = new Float64Array(3)
  let twice = 0
  for (let f = 0; f < faces.length; f += 3)
    twice += faceCross(p, faces[f] * 3, faces[f + 1] * 3, faces[f + 2] * 3, cross)
  return twice / 2
}

/**
 * Turns inner edges of the patch that are not locally Delaunay (opposite angles over 180° together), until none is
 * left.
 */
function relaxEdges(
  faces: number[],
  at: (v: number, c: number) => number,
  isEdge: (a: number, b: number) => boolean,
): void {
  const angle = (o: number, a: number, b: number): number => {
    let dot = 0,
      aa = 0,
      bb = 0
    for (let c = 0; c < 3; c++) {
      const x = at(a, c) - at(o, c),
        y = at(b, c) - at(o, c)
      dot += x * y
      aa += x * x
      bb += y * y
    }
    return Math.acos(Math.max(-1, Math.min(1, dot / Math.sqrt(aa * bb || 1))))
  }
  // The patch alone, its points numbered as they come: all of it that an edit touches lies inside.
  const own = new Map<number, number>()
  const outer: number[] = []
  const indices = Uint32Array.from(faces, (v) => {
    let k = own.get(v)
    if (k === undefined) {
      k = outer.length
      own.set(v, k)
      outer.push(v)
    }
    return k
  })
  const patch = new HalfEdgeMesh({ positions: new Float32Array(outer.length * 3), indices })
  const queue = Array.from(indices.keys())
  const waits = new Uint8Array(indices.length).fill(1)
  // Angles on a bent patch may contradict one another: an edge turned often enough stays.
  for (let left = MAX_FLIPS_PER_EDGE * queue.length; queue.length > 0 && left > 0; left--) {
    const h = queue.pop()!
    waits[h] = 0
    if (patch.twin(h) < 0) continue
    const [a, b, c, d] = [patch.origin(h), patch.tip(h), patch.apex(h), patch.apex(patch.twin(h))].map((v) => outer[v])
    if (angle(c, a, b) + angle(d, a, b) <= Math.PI + 1e-9 || isEdge(c, d) || !patch.canFlip(h)) continue
    patch.flip(h)
    for (const side of [h, patch.twin(h)])
      for (const edge of [patch.nextOf(side), patch.previousOf(side)])
        if (!waits[edge]) {
          waits[edge] = 1
          queue.push(edge)
        }
  }
  patch.indices().forEach((v, i) => (faces[i] = outer[v]))
}
