import earcut from 'earcut'
import { GeometryError } from '../errors'

/** Ear clipping takes a time that grows with the square of the corners where a polygon is a tangle. */
const MAX_EARS = 4096

/**
 * A polygon in space as triangles that run its way round. Convex ones become a fan from the first corner; others are
 * clipped by ears in the plane they are flattest in (earcut; Held 2001, "FIST"). One that crosses itself or has no area
 * has no right answer and becomes a fan, too.
 * @param p coordinates, three a point
 * @param corners three point numbers or more
 * @returns corner triples of point numbers
 * @throws RANGE for one that bends inward and has more than 4096 corners
 */
export function triangulatePolygon(p: ArrayLike<number>, corners: readonly number[]): number[] {
  if (corners.length === 3) return [...corners]
  const normal = newellNormal(p, corners)
  if (isConvex(p, corners, normal)) return fan(corners)
  if (corners.length > MAX_EARS)
    throw new GeometryError(
      'RANGE',
      `A face with ${corners.length.toLocaleString('en')} corners bends inward; up to ` +
        `${MAX_EARS.toLocaleString('en')} can be made triangles of. Save it as triangles first.`,
    )
  // The coordinate in which the plane is steepest is left out.
  const [x, y, z] = normal.map(Math.abs) as [number, number, number]
  const [u, v] = z >= x && z >= y ? [0, 1] : y >= x ? [0, 2] : [1, 2]
  const flat = corners.flatMap((c) => [p[c * 3 + u], p[c * 3 + v]])
  const ears = earcut(flat)
  if (ears.length !== 3 * (corners.length - 2)) return fan(corners)
  const out: number[] = []
  for (let t = 0; t < ears.length; t += 3) {
    const [a, b, c] = [corners[ears[t]], corners[ears[t + 1]], corners[ears[t + 2]]]
    // Ear clipping gives one sense whatever the polygon's was.
    if (along(normal, p, a, b, c) >= 0) out.push(a, b, c)
    else out.push(a, c, b)
  }
  return out
}

const fan = (corners: readonly number[]): number[] => {
  const out: number[] = []
  for (let i = 2; i < corners.length; i++) out.push(corners[0], corners[i - 1], corners[i])
  return out
}

/** Twice the area vector (M. Newell, in Sutherland, Sproull and Schumacker 1974). */
function newellNormal(p: ArrayLike<number>, corners: readonly number[]): [number, number, number] {
  const n: [number, number, number] = [0, 0, 0]
  for (let i = 0; i < corners.length; i++) {
    const a = corners[i] * 3,
      b = corners[(i + 1) % corners.length] * 3
    n[0] += (p[a + 1] - p[b + 1]) * (p[a + 2] + p[b + 2])
    n[1] += (p[a + 2] - p[b + 2]) * (p[a] + p[b])
    n[2] += (p[a] - p[b]) * (p[a + 1] + p[b + 1])
  }
  return n
}

/** How far the triangle a, b, c faces the way of a direction. */
function along(n: readonly number[], p: ArrayLike<number>, a: number, b: number, c: number): number {
  const i = a * 3,
    j = b * 3,
    k = c * 3
  const ux = p[j] - p[i],
    uy = p[j + 1] - p[i + 1],
    uz = p[j + 2] - p[i + 2]
  const vx = p[k] - p[j],
    vy = p[k + 1] - p[j + 1],
    vz = p[k + 2] - p[j + 2]
  return n[0] * (uy * vz - uz * vy) + n[1] * (uz * vx - ux * vz) + n[2] * (ux * vy - uy * vx)
}

/** No corner turns back. */
function isConvex(p: ArrayLike<number>, corners: readonly number[], normal: readonly number[]): boolean {
  const n = corners.length
  const least = -1e-9 * (normal[0] ** 2 + normal[1] ** 2 + normal[2] ** 2)
  for (let i = 0; i < n; i++)
    if (along(normal, p, corners[i], corners[(i + 1) % n], corners[(i + 2) % n]) < least) return false
  return true
}
