import { transformPoint } from '../linear/rigid'
import type { TriangleMesh } from '../shapes'
import { place, type PlannedTake } from './takes'

/* Whether a piece stands in its pose: its centre of mass over what it rests on. */

export interface Stability {
  /** Centre of mass over the table, in the table's frame, mm. */
  readonly centre: readonly [number, number, number]
  /** How far the centre of mass lies inside the support, mm; negative outside: it tips. */
  readonly marginMm: number
  /** How far it may be tilted before it tips, degrees. */
  readonly tiltDeg: number
  /** How far off the table's axis the weight lies, mm. */
  readonly offAxisMm: number
  readonly support: readonly (readonly [number, number])[]
}

/** Parts this close to the lowest point carry, mm. */
const CONTACT_MM = 0.6

/** Centre of mass of a closed mesh, by tetrahedra about its first vertex (divergence theorem). */
export function centreOfMass(mesh: TriangleMesh): [number, number, number] {
  const { positions: p, indices } = mesh
  const o = [p[0], p[1], p[2]]
  let volume = 0
  const c = [0, 0, 0]
  for (let i = 0; i < indices.length; i += 3) {
    const v = [0, 1, 2].map((k) => [0, 1, 2].map((a) => p[indices[i + k] * 3 + a] - o[a]))
    const [u, w, x] = v as [number[], number[], number[]]
    const six =
      u[0] * (w[1] * x[2] - w[2] * x[1]) + u[1] * (w[2] * x[0] - w[0] * x[2]) + u[2] * (w[0] * x[1] - w[1] * x[0])
    volume += six
    for (let a = 0; a < 3; a++) c[a] += (six * (u[a] + w[a] + x[a])) / 4
  }
  return [o[0] + c[0] / volume, o[1] + c[1] / volume, o[2] + c[2] / volume]
}

/** Convex hull, counter-clockwise (Andrew 1979). */
export function convexHull(points: readonly (readonly [number, number])[]): [number, number][] {
  const sorted = [...points].sort((a, b) => a[0] - b[0] || a[1] - b[1])
  const cross = (o: readonly [number, number], a: readonly [number, number], b: readonly [number, number]): number =>
    (a[0] - o[0]) * (b[1] - o[1]) - (a[1] - o[1]) * (b[0] - o[0])
  const half = (list: readonly (readonly [number, number])[]): [number, number][] => {
    const out: [number, number][] = []
    for (const q of list) {
      while (out.length >= 2 && cross(out.at(-2)!, out.at(-1)!, q) <= 1e-9) out.pop()
      out.push([q[0], q[1]])
    }
    out.pop()
    return out
  }
  return sorted.length < 3 ? sorted.map((q) => [q[0], q[1]]) : [...half(sorted), ...half(sorted.reverse())]
}

/** How a piece stands in a take's pose; putty and clamps hold it whatever the margin says. */
export function stabilityOf(mesh: TriangleMesh, take: PlannedTake): Stability {
  const { motion, restMm } = place(take, mesh.positions)
  const centre = transformPoint(motion, ...centreOfMass(mesh))
  const touching: [number, number][] = []
  for (let i = 0; i < mesh.positions.length; i += 3) {
    const [x, y, z] = transformPoint(motion, mesh.positions[i], mesh.positions[i + 1], mesh.positions[i + 2])
    if (z - restMm <= CONTACT_MM) touching.push([x, y])
  }
  const support = convexHull(touching)
  const marginMm = insideBy(support, centre[0], centre[1])
  return {
    centre,
    marginMm,
    tiltDeg: marginMm <= 0 ? 0 : (Math.atan2(marginMm, centre[2] - restMm) * 180) / Math.PI,
    offAxisMm: Math.hypot(centre[0], centre[1]),
    support,
  }
}

/** Distance from a point to the border of a convex outline, negative outside. */
function insideBy(hull: readonly (readonly [number, number])[], x: number, y: number): number {
  if (hull.length < 3) return -Math.min(...hull.map(([a, b]) => Math.hypot(a - x, b - y)), Infinity)
  let least = Infinity
  for (let i = 0; i < hull.length; i++) {
    const [ax, ay] = hull[i],
      [bx, by] = hull[(i + 1) % hull.length]
    const l = Math.hypot(bx - ax, by - ay) || 1
    least = Math.min(least, ((bx - ax) * (y - ay) - (by - ay) * (x - ax)) / l)
  }
  return least
}
