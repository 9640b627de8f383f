import { orient2d, orient3d } from 'robust-predicates'
import { checkpoint, type RunContext } from '../context'
import type { TriangleMesh } from '../shapes'
import { TriangleBvh } from '../spatial/triangle-bvh'

/**
 * Pairs of faces that cross or lie on each other, by exact predicates (Shewchuk 1997) on the coordinates as stored: an
 * edge of one pierces the other, or coplanar faces overlap. Faces that only share a vertex or an edge as neighbours do
 * not count.
 * Coincident vertices must be welded first. `limit` stops the search early; `changed` (one byte per face) looks only at
 * pairs of which one is marked.
 */
export const findCrossings = (
  mesh: TriangleMesh,
  context: RunContext,
  limit = Infinity,
  changed: Uint8Array | null = null,
): Uint32Array => searchCrossings(mesh, context, limit, changed, Infinity).pairs

/**
 * The same, with a bound on how many pairs of faces whose boxes meet are looked at: thousands of faces on one edge make
 * millions of pairs.
 * @returns the pairs found, and whether all were looked at
 */
export function searchCrossings(
  mesh: TriangleMesh,
  context: RunContext,
  limit: number,
  changed: Uint8Array | null,
  mostLooks: number,
): { pairs: Uint32Array; complete: boolean } {
  const { positions: p, indices } = mesh
  const bvh = new TriangleBvh(mesh)
  const planes = facePlanes(p, indices)
  const pairs: number[] = []
  let looks = 0
  bvh.overlappingPairs(
    (f, g) => {
      if (++looks > mostLooks) return false
      if (changed && !changed[f] && !changed[g]) return true
      if (
        facesCross(
          p,
          planes,
          f,
          g,
          indices[f * 3] * 3,
          indices[f * 3 + 1] * 3,
          indices[f * 3 + 2] * 3,
          indices[g * 3] * 3,
          indices[g * 3 + 1] * 3,
          indices[g * 3 + 2] * 3,
        )
      )
        pairs.push(f, g)
      return pairs.length / 2 < limit
    },
    (share) => checkpoint(context, share, 1, 'Looking for crossings'),
  )
  return { pairs: Uint32Array.from(pairs), complete: looks <= mostLooks && pairs.length / 2 < limit }
}

/**
 * Per face nx, ny, nz, d and the error bound e: a corner with |n·x − d| > e lies surely on that side of the face's
 * plane. The bound is generous (a few hundred roundings of the largest term), so that the exact predicates decide only
 * what is close.
 */
function facePlanes(p: Float32Array, indices: Uint32Array): Float64Array {
  let reach = 0
  for (let i = 0; i < p.length; i++) {
    const v = Math.abs(p[i])
    if (v > reach) reach = v
  }
  const out = new Float64Array((indices.length / 3) * 5)
  for (let i = 0, o = 0; i < indices.length; i += 3, o += 5) {
    const a = indices[i] * 3,
      b = indices[i + 1] * 3,
      c = indices[i + 2] * 3
    const ux = p[b] - p[a],
      uy = p[b + 1] - p[a + 1],
      uz = p[b + 2] - p[a + 2]
    const vx = p[c] - p[a],
      vy = p[c + 1] - p[a + 1],
      vz = p[c + 2] - p[a + 2]
    const x = uy * vz - uz * vy,
      y = uz * vx - ux * vz,
      z = ux * vy - uy * vx
    out[o] = x
    out[o + 1] = y
    out[o + 2] = z
    out[o + 3] = x * p[a] + y * p[a + 1] + z * p[a + 2]
    const u = Math.abs(ux) + Math.abs(uy) + Math.abs(uz),
      v = Math.abs(vx) + Math.abs(vy) + Math.abs(vz)
    out[o + 4] = 1e-13 * u * v * reach
  }
  return out
}

/** 1 or −1 when the corner at `i` lies surely on that side of face f's plane, 0 when that is too close to call. */
function surely(planes: Float64Array, f: number, p: Float32Array, i: number): number {
  const o = f * 5
  const s = planes[o] * p[i] + planes[o + 1] * p[i + 1] + planes[o + 2] * p[i + 2] - planes[o + 3]
  const e = planes[o + 4]
  return s > e ? 1 : s < -e ? -1 : 0
}

/** Offsets into `p` of the corners of both faces. */
function facesCross(
  p: Float32Array,
  planes: Float64Array,
  f: number,
  g: number,
  a: number,
  b: number,
  c: number,
  u: number,
  v: number,
  w: number,
): boolean {
  const aShared = a === u || a === v || a === w
  const bShared = b === u || b === v || b === w
  const cShared = c === u || c === v || c === w
  const count = (aShared ? 1 : 0) + (bShared ? 1 : 0) + (cShared ? 1 : 0)
  if (count === 3) return true
  if (count === 2) {
    if (surely(planes, g, p, !aShared ? a : !bShared ? b : c) !== 0) return false
    return foldedOver(p, a, b, c, aShared, bShared, u, v, w)
  }
  if (count === 1) {
    const o = aShared ? a : bShared ? b : c
    const q = aShared ? b : bShared ? c : a
    const r = aShared ? c : bShared ? a : b
    const s = o === u ? v : o === v ? w : u
    const t = o === u ? w : o === v ? u : v
    // Both far corners on one side of the other's plane: the faces meet in the shared corner only.
    const side1 = surely(planes, g, p, q)
    if (side1 !== 0 && side1 === surely(planes, g, p, r)) return false
    const side2 = surely(planes, f, p, s)
    if (side2 !== 0 && side2 === surely(planes, f, p, t)) return false
    return edgePierces(p, q, r, u, v, w) || edgePierces(p, s, t, a, b, c) || coplanarFan(p, o, q, r, s, t)
  }
  // All corners of one on one side of the other's plane: the usual end.
  const sa = surely(planes, g, p, a)
  if (sa !== 0 && sa === surely(planes, g, p, b) && sa === surely(planes, g, p, c)) return false
  const su = surely(planes, f, p, u)
  if (su !== 0 && su === surely(planes, f, p, v) && su === surely(planes, f, p, w)) return false
  return (
    edgePierces(p, a, b, u, v, w) ||
    edgePierces(p, b, c, u, v, w) ||
    edgePierces(p, c, a, u, v, w) ||
    edgePierces(p, u, v, a, b, c) ||
    edgePierces(p, v, w, a, b, c) ||
    edgePierces(p, w, u, a, b, c) ||
    coplanarOverlap(p, [a, b, c], [u, v, w])
  )
}

function side(p: Float32Array, a: number, b: number, c: number, d: number): number {
  return orient3d(
    p[a],
    p[a + 1],
    p[a + 2],
    p[b],
    p[b + 1],
    p[b + 2],
    p[c],
    p[c + 1],
    p[c + 2],
    p[d],
    p[d + 1],
    p[d + 2],
  )
}

/** The closed segment q–r meets the closed triangle and is not in its plane. */
function edgePierces(p: Float32Array, q: number, r: number, a: number, b: number, c: number): boolean {
  const sq = side(p, a, b, c, q)
  const sr = side(p, a, b, c, r)
  if ((sq > 0 && sr > 0) || (sq < 0 && sr < 0) || (sq === 0 && sr === 0)) return false
  const s1 = side(p, q, r, a, b)
  const s2 = side(p, q, r, b, c)
  if ((s1 > 0 && s2 < 0) || (s1 < 0 && s2 > 0)) return false
  const s3 = side(p, q, r, c, a)
  return !((s1 > 0 || s2 > 0) && s3 < 0) && !((s1 < 0 || s2 < 0) && s3 > 0)
}

/** Drops the coordinate in which the face is flattest, so that coplanar tests can be made in two dimensions. */
function projection(p: Float32Array, a: number, b: number, c: number): (i: number) => [number, number] {
  const ux = p[b] - p[a],
    uy = p[b + 1] - p[a + 1],
    uz = p[b + 2] - p[a + 2]
  const vx = p[c] - p[a],
    vy = p[c + 1] - p[a + 1],
    vz = p[c + 2] - p[a + 2]
  const x = Math.abs(uy * vz - uz * vy),
    y = Math.abs(uz * vx - ux * vz),
    z = Math.abs(ux * vy - uy * vx)
  if (z >= x && z >= y) return (i) => [p[i], p[i + 1]]
  if (y >= x) return (i) => [p[i], p[i + 2]]
  return (i) => [p[i + 1], p[i + 2]]
}

function turn(at: (i: number) => [number, number], a: number, b: number, c: number): number {
  const [ax, ay] = at(a),
    [bx, by] = at(b),
    [cx, cy] = at(c)
  return Math.sign(orient2d(ax, ay, bx, by, cx, cy))
}

/** Two faces with a common edge lie on each other: coplanar, third corners on the same side of the edge. */
function foldedOver(
  p: Float32Array,
  a: number,
  b: number,
  c: number,
  aShared: boolean,
  bShared: boolean,
  u: number,
  v: number,
  w: number,
): boolean {
  const own = !aShared ? a : !bShared ? b : c
  const first = aShared ? a : b
  const second = aShared && bShared ? b : c
  const d = u !== first && u !== second ? u : v !== first && v !== second ? v : w
  if (side(p, first, second, own, d) !== 0) return false
  const at = projection(p, first, second, own)
  return turn(at, first, second, own) * turn(at, first, second, d) > 0
}

/**
 * Two coplanar faces with one common corner o overlap: a far corner of one lies strictly inside the other's wedge, or
 * they coincide in direction.
 */
function coplanarFan(p: Float32Array, o: number, q: number, r: number, s: number, t: number): boolean {
  if (side(p, o, q, r, s) !== 0 || side(p, o, q, r, t) !== 0) return false
  const at = projection(p, o, q, r)
  const orientation = turn(at, o, q, r)
  const inside = (x: number): boolean => turn(at, o, q, x) * orientation > 0 && turn(at, o, x, r) * orientation > 0
  const other = turn(at, o, s, t)
  const insideOther = (x: number): boolean => turn(at, o, s, x) * other > 0 && turn(at, o, x, t) * other > 0
  if (orientation === 0 || other === 0) return false
  if (inside(s) || inside(t) || insideOther(q) || insideOther(r)) return true
  // Neither has a far corner inside the other where both their edges run the same way.
  const [ox, oy] = at(o)
  const sameWay = (x: number, y: number): boolean => {
    const [ax, ay] = at(x),
      [bx, by] = at(y)
    return turn(at, o, x, y) === 0 && (ax - ox) * (bx - ox) + (ay - oy) * (by - oy) > 0
  }
  return (sameWay(q, s) && sameWay(r, t)) || (sameWay(q, t) && sameWay(r, s))
}

function coplanarOverlap(p: Float32Array, first: number[], second: number[]): boolean {
  const [a, b, c] = first as [number, number, number]
  if (second.some((i) => side(p, a, b, c, i) !== 0)) return false
  const at = projection(p, a, b, c)
  // Separating axis among the six edges; touching along an edge does not separate.
  const separates = (t: number[], other: number[]): boolean => {
    const orientation = turn(at, t[0], t[1], t[2])
    return [0, 1, 2].some((i) => other.every((x) => turn(at, t[i], t[(i + 1) % 3], x) * orientation < 0))
  }
  return !separates(first, second) && !separates(second, first)
}
