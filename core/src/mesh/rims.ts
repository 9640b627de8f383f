import { EVIDENCE, type TriangleMesh } from '../shapes'
import { boundaryLoops, edgeTopology, type BoundaryLoop } from './topology'

/*
 * A hole by its rim as a closed curve in space: so it is found again on another mesh of the same piece, whatever the
 * triangles are.
 */

/** A closed curve: x, y, z of each of its corners, mm. */
export type Curve = ArrayLike<number>

/** Of a curve that is kept. */
const MAX_CORNERS = 96
/** A rim is found where so much of it lies near, and it is about as long. */
const MIN_FOUND = 0.8
const LENGTH_RATIO = 1.6

/** The curve of a rim, with corners spread evenly over it: as many as it has, 96 at most. */
export function curveOf({ positions: p }: TriangleMesh, loop: ArrayLike<number>): number[] {
  const n = loop.length
  const corner = (i: number): number[] => [0, 1, 2].map((c) => p[loop[i % n] * 3 + c])
  if (n <= MAX_CORNERS) return Array.from({ length: n }, (_, i) => corner(i)).flat()
  const along = [0]
  for (let i = 0; i < n; i++) along.push(along[i] + distance(corner(i), corner(i + 1)))
  const out: number[] = []
  for (let k = 0, i = 0; k < MAX_CORNERS; k++) {
    const want = (along[n] * k) / MAX_CORNERS
    while (along[i + 1] < want) i++
    const t = (want - along[i]) / (along[i + 1] - along[i] || 1)
    const [a, b] = [corner(i), corner(i + 1)]
    out.push(...a.map((v, c) => v + t * (b[c] - v)))
  }
  return out
}

/** Length of a closed curve, mm. */
export function curveLengthMm(curve: Curve): number {
  let sum = 0
  for (let i = 0; i < curve.length; i += 3) {
    const j = (i + 3) % curve.length
    sum += Math.hypot(curve[i] - curve[j], curve[i + 1] - curve[j + 1], curve[i + 2] - curve[j + 2])
  }
  return sum
}

/** The rims of a mesh's holes. */
export const rimsOfMesh = (mesh: TriangleMesh): BoundaryLoop[] => boundaryLoops(mesh, edgeTopology(mesh))

/**
 * The hole a curve belongs to.
 * @param withinMm how far the rim may lie from the curve
 * @returns its place in the list; null with the share of the curve that was found at the best of them
 */
export function findRim(
  mesh: TriangleMesh,
  loops: readonly BoundaryLoop[],
  curve: Curve,
  withinMm: number,
): { readonly loop: number; readonly share: number } | { readonly loop: null; readonly share: number } {
  const length = curveLengthMm(curve)
  let best = -1,
    share = 0
  loops.forEach((l, i) => {
    const ratio = l.perimeterMm / length
    if (ratio > LENGTH_RATIO || ratio < 1 / LENGTH_RATIO) return
    // Both ways: a rim that only passes by, or a short one beside a long one, is another hole.
    const found = Math.min(
      shareNear(curve, curveOf(mesh, l.vertices), withinMm),
      shareNear(curveOf(mesh, l.vertices), curve, withinMm),
    )
    if (found > share) {
      best = i
      share = found
    }
  })
  return share >= MIN_FOUND ? { loop: best, share } : { loop: null, share }
}

/** 1 for points of a mesh within a distance of a closed curve. */
export function nearCurve({ positions: p }: TriangleMesh, curve: Curve, withinMm: number): Uint8Array {
  const out = new Uint8Array(p.length / 3)
  const low = [Infinity, Infinity, Infinity],
    high = [-Infinity, -Infinity, -Infinity]
  for (let i = 0; i < curve.length; i++) {
    low[i % 3] = Math.min(low[i % 3], curve[i] - withinMm)
    high[i % 3] = Math.max(high[i % 3], curve[i] + withinMm)
  }
  for (let v = 0; v < p.length; v += 3) {
    if ([0, 1, 2].some((c) => p[v + c] < low[c] || p[v + c] > high[c])) continue
    for (let k = 0; k < curve.length; k += 3)
      if (toStretch(p, v, curve, k) <= withinMm) {
        out[v / 3] = 1
        break
      }
  }
  return out
}

/** Share of a curve's corners that lie within a distance of another curve. */
function shareNear(curve: Curve, other: Curve, withinMm: number): number {
  let near = 0
  for (let i = 0; i < curve.length; i += 3) {
    for (let k = 0; k < other.length; k += 3)
      if (toStretch(curve, i, other, k) <= withinMm) {
        near++
        break
      }
  }
  return near / (curve.length / 3)
}

/** Distance of a corner to a stretch of another curve. */
function toStretch(p: Curve, i: number, q: Curve, k: number): number {
  const j = (k + 3) % q.length
  let along = 0,
    l2 = 0
  for (let c = 0; c < 3; c++) {
    const d = q[j + c] - q[k + c]
    along += d * (p[i + c] - q[k + c])
    l2 += d * d
  }
  const t = l2 > 0 ? Math.max(0, Math.min(1, along / l2)) : 0
  return Math.hypot(...[0, 1, 2].map((c) => p[i + c] - q[k + c] - t * (q[j + c] - q[k + c])))
}

const distance = (a: readonly number[], b: readonly number[]): number => Math.hypot(...a.map((v, c) => v - b[c]))

/** A face counts as its weakest corner, and a cap has only corners of its rim: they are marked, so that it is. */
export function unseenAt(mesh: TriangleMesh, loops: readonly Int32Array[]): TriangleMesh {
  const evidence = mesh.evidence ? mesh.evidence.slice() : new Uint8Array(mesh.positions.length / 3)
  for (const loop of loops) for (const v of loop) evidence[v] = EVIDENCE.invented
  return { ...mesh, evidence }
}
