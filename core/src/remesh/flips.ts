import { faceCross } from '../linear/face-cross'
import type { WorkingMesh } from './working-mesh'

/** New faces may stand to each other at this angle at most (cosine), unless the old ones stood worse. */
const MOST_BEND = 0.85

/**
 * Turns edges where that brings the number of faces round the four points nearer to six (four at a border). Edges that
 * are held, and those whose turning would bend the surface, stay.
 */
export function flipForValence(mesh: WorkingMesh, isHeld: (h: number) => boolean): void {
  const { topology } = mesh
  const valence = new Int32Array(topology.points)
  for (let h = 0; h < topology.halfEdges; h++) if (!topology.isGone(h)) valence[topology.origin(h)]++
  const off = (point: number, change: number): number => {
    const v = valence[point] + change - (topology.isBorderPoint(point) ? 3 : 6)
    return v * v
  }
  flipWhere(
    mesh,
    isHeld,
    (a, b, c, d) => {
      const now = off(a, 0) + off(b, 0) + off(c, 0) + off(d, 0)
      return off(a, -1) + off(b, -1) + off(c, 1) + off(d, 1) < now
    },
    (a, b, c, d) => {
      valence[a]--
      valence[b]--
      valence[c]++
      valence[d]++
    },
  )
}

/** Turns edges whose two opposite angles are over 180° together (Delaunay). */
export function flipForAngles(mesh: WorkingMesh, isHeld: (h: number) => boolean): void {
  const { places: p } = mesh
  flipWhere(mesh, isHeld, (a, b, c, d) => cotangent(p, c, a, b) + cotangent(p, d, a, b) < -1e-3)
}

type Four<T> = (a: number, b: number, c: number, d: number) => T

/** Turns the edges a–b that `better` says, to run between the points c and d opposite, where the surface stays sound. */
function flipWhere(
  mesh: WorkingMesh,
  isHeld: (h: number) => boolean,
  better: Four<boolean>,
  turned?: Four<void>,
): void {
  const { topology } = mesh
  for (let h = 0; h < topology.halfEdges; h++) {
    if (topology.isGone(h)) continue
    const t = topology.twin(h)
    if (t < 0 || t > h) continue
    const a = topology.origin(h),
      b = topology.tip(h),
      c = topology.apex(h),
      d = topology.apex(t)
    if (!better(a, b, c, d) || isHeld(h)) continue
    if (topology.valence(a) <= 3 || topology.valence(b) <= 3) continue
    if (!staysFlat(mesh, a, b, c, d) || !topology.canFlip(h)) continue
    topology.flip(h)
    turned?.(a, b, c, d)
  }
}

/** Cotangent of the angle at `o` between its edges to `u` and `w`. */
function cotangent(p: Float64Array, o: number, u: number, w: number): number {
  const ax = p[u * 3] - p[o * 3],
    ay = p[u * 3 + 1] - p[o * 3 + 1],
    az = p[u * 3 + 2] - p[o * 3 + 2]
  const bx = p[w * 3] - p[o * 3],
    by = p[w * 3 + 1] - p[o * 3 + 1],
    bz = p[w * 3 + 2] - p[o * 3 + 2]
  const x = ay * bz - az * by,
    y = az * bx - ax * bz,
    z = ax * by - ay * bx
  return (ax * bx + ay * by + az * bz) / (Math.sqrt(x * x + y * y + z * z) + 1e-300)
}

/** Whether faces over the edge c–d face as those over a–b do, and bend no more. */
function staysFlat({ places: p }: WorkingMesh, a: number, b: number, c: number, d: number): boolean {
  const [x1, y1, z1] = cross(p, a, b, c)
  const [x2, y2, z2] = cross(p, b, a, d)
  const [x3, y3, z3] = cross(p, a, d, c)
  const [x4, y4, z4] = cross(p, d, b, c)
  const l1 = Math.sqrt(x1 * x1 + y1 * y1 + z1 * z1),
    l2 = Math.sqrt(x2 * x2 + y2 * y2 + z2 * z2)
  const l3 = Math.sqrt(x3 * x3 + y3 * y3 + z3 * z3),
    l4 = Math.sqrt(x4 * x4 + y4 * y4 + z4 * z4)
  if (l3 < 1e-12 * l1 || l4 < 1e-12 * l2 || l3 * l4 === 0) return false
  const before = l1 * l2 > 0 ? (x1 * x2 + y1 * y2 + z1 * z2) / (l1 * l2) : -1
  const after = (x3 * x4 + y3 * y4 + z3 * z4) / (l3 * l4)
  if (after < MOST_BEND && after < before) return false
  const sx = x1 + x2,
    sy = y1 + y2,
    sz = z1 + z2
  const s = Math.sqrt(sx * sx + sy * sy + sz * sz)
  return x3 * sx + y3 * sy + z3 * sz > 0.5 * l3 * s && x4 * sx + y4 * sy + z4 * sz > 0.5 * l4 * s
}

const scratch = new Float64Array(3)
function cross(p: Float64Array, a: number, b: number, c: number): [number, number, number] {
  faceCross(p, a * 3, b * 3, c * 3, scratch)
  return [scratch[0], scratch[1], scratch[2]]
}
