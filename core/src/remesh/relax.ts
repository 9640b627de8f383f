import { faceCross } from '../linear/face-cross'
import { movedFace } from './moved-face'
import type { WorkingMesh } from './working-mesh'

/** What points are laid on. */
export interface Ground {
  /**
   * Moves a place onto the surface, and tells the unit normal there; false, and nothing moved, where it knows of none
   * near.
   * @param at xyz mm, moved in place @param normal written
   */
  lay(at: Float64Array, normal: Float64Array): boolean
}

/** The ground faces as the faces over it do, or it is not theirs (cosine). */
const SAME_SHEET = 0.3
/** A face has to face at least so much as the surface round its points does (cosine). */
const LEAST_FACING = 0.2

/**
 * Moves each point towards the middle of the faces round it, along the surface, and lays it on the ground: points spread
 * evenly and stay on it. A move that would fold a face is halved, then left.
 */
export function relax(mesh: WorkingMesh, ground: Ground, isFixed: (point: number) => boolean): void {
  const { topology, places: p } = mesh
  const at = new Float64Array(3),
    normal = new Float64Array(3),
    middle = new Float64Array(3),
    facing = new Float64Array(3)
  for (let v = 0; v < topology.points; v++) {
    if (topology.first(v) < 0 || isFixed(v)) continue
    if (!middleAround(mesh, v, middle, normal)) continue
    const o = v * 3
    const x = middle[0] - p[o],
      y = middle[1] - p[o + 1],
      z = middle[2] - p[o + 2]
    const out = x * normal[0] + y * normal[1] + z * normal[2]
    for (let step = 1; step > 0.2; step /= 2) {
      at[0] = p[o] + step * (x - out * normal[0])
      at[1] = p[o + 1] + step * (y - out * normal[1])
      at[2] = p[o + 2] + step * (z - out * normal[2])
      // Where the ground is not found, or faces otherwise than the faces here do, it is another sheet or none.
      if (!ground.lay(at, facing)) continue
      if (facing[0] * normal[0] + facing[1] * normal[1] + facing[2] * normal[2] < SAME_SHEET) continue
      if (!folds(mesh, v, at, normal)) {
        p[o] = at[0]
        p[o + 1] = at[1]
        p[o + 2] = at[2]
        break
      }
    }
  }
}

/**
 * Middle of the faces round a point weighted by area over the area wanted, and their mean unit normal; false where they
 * have no area.
 */
export function middleAround(mesh: WorkingMesh, point: number, middle: Float64Array, normal: Float64Array): boolean {
  const { topology, places: p, sizes } = mesh
  const o = point * 3
  const px = p[o],
    py = p[o + 1],
    pz = p[o + 2]
  let nx = 0,
    ny = 0,
    nz = 0,
    mx = 0,
    my = 0,
    mz = 0,
    total = 0,
    pulls = 0
  const start = topology.first(point)
  for (let h = start; h >= 0;) {
    const u = topology.tip(h) * 3,
      w = topology.apex(h) * 3
    const ax = p[u] - px,
      ay = p[u + 1] - py,
      az = p[u + 2] - pz
    const bx = p[w] - px,
      by = p[w + 1] - py,
      bz = p[w + 2] - pz
    const x = ay * bz - az * by,
      y = az * bx - ax * bz,
      z = ax * by - ay * bx
    const area = Math.sqrt(x * x + y * y + z * z)
    nx += x
    ny += y
    nz += z
    // A triangle that is to be twice as large pulls no harder for it.
    const size = sizes[point] + sizes[u / 3] + sizes[w / 3]
    const pull = area / (size * size)
    mx += pull * (ax + bx)
    my += pull * (ay + by)
    mz += pull * (az + bz)
    total += area
    pulls += pull
    h = topology.onward(h)
    if (h === start) break
  }
  const length = Math.sqrt(nx * nx + ny * ny + nz * nz)
  if (!(length > 1e-6 * total)) return false
  normal[0] = nx / length
  normal[1] = ny / length
  normal[2] = nz / length
  middle[0] = px + mx / (3 * pulls)
  middle[1] = py + my / (3 * pulls)
  middle[2] = pz + mz / (3 * pulls)
  return true
}

/**
 * Whether a face round a point turns away from `normal`, or loses nearly all its area, when the point moves. A face that
 * is turned away already may become better.
 */
export function folds(mesh: WorkingMesh, point: number, to: Float64Array, normal: Float64Array): boolean {
  const { topology, places: p } = mesh
  const o = point * 3
  const start = topology.first(point)
  for (let h = start; h >= 0;) {
    const u = topology.tip(h) * 3,
      w = topology.apex(h) * 3
    movedFace(p, o, u, w, to, face)
    const old = Math.sqrt(face[0] ** 2 + face[1] ** 2 + face[2] ** 2)
    const fresh = Math.sqrt(face[3] ** 2 + face[4] ** 2 + face[5] ** 2)
    const faced = old > 0 ? (face[0] * normal[0] + face[1] * normal[1] + face[2] * normal[2]) / old : -1
    const faces = fresh > 0 ? (face[3] * normal[0] + face[4] * normal[1] + face[5] * normal[2]) / fresh : -1
    if (faces < LEAST_FACING && faces <= faced) return true
    if (fresh < 0.05 * old && faced >= LEAST_FACING) return true
    h = topology.onward(h)
    if (h === start) break
  }
  return false
}

/** Of the mean lie of an even triangle off a bend (L²/8R), in that of its middle (L²/6R). */
const MEAN_OF_MIDDLE = 0.75

/**
 * Moves points off the ground by as much as the triangles round them lie off it on the mean, the other way: a chord
 * cuts off a bend, and the surface as a whole then neither shrinks nor lies to one side.
 */
export function balance(mesh: WorkingMesh, ground: Ground, isFixed: (point: number) => boolean): void {
  const { topology, places: p } = mesh
  /** Per point: how far faces lie below the ground, the way it faces there, and their area. */
  const sums = new Float64Array(topology.points * 5)
  const at = new Float64Array(3),
    normal = new Float64Array(3)
  for (let h = 0; h < topology.halfEdges; h += 3) {
    if (topology.isGone(h)) continue
    const a = topology.origin(h) * 3,
      b = topology.origin(h + 1) * 3,
      c = topology.origin(h + 2) * 3
    const mx = (p[a] + p[b] + p[c]) / 3,
      my = (p[a + 1] + p[b + 1] + p[c + 1]) / 3,
      mz = (p[a + 2] + p[b + 2] + p[c + 2]) / 3
    at[0] = mx
    at[1] = my
    at[2] = mz
    if (!ground.lay(at, normal)) continue
    const below = (at[0] - mx) * normal[0] + (at[1] - my) * normal[1] + (at[2] - mz) * normal[2]
    const area = faceCross(p, a, b, c, cross)
    for (let k = 0; k < 3; k++) {
      const o = topology.origin(h + k) * 5
      sums[o] += area * below
      sums[o + 1] += area * normal[0]
      sums[o + 2] += area * normal[1]
      sums[o + 3] += area * normal[2]
      sums[o + 4] += area
    }
  }
  for (let v = 0; v < topology.points; v++) {
    const o = v * 5
    if (!(sums[o + 4] > 0) || isFixed(v)) continue
    const length = Math.hypot(sums[o + 1], sums[o + 2], sums[o + 3])
    // Where the ground faces every way round a point, none of them is its own.
    if (!(length > 0.1 * sums[o + 4])) continue
    const move = (MEAN_OF_MIDDLE * sums[o]) / sums[o + 4]
    for (let c = 0; c < 3; c++) {
      normal[c] = sums[o + 1 + c] / length
      at[c] = p[v * 3 + c] + move * normal[c]
    }
    if (!folds(mesh, v, at, normal)) p.set(at, v * 3)
  }
}

const face = new Float64Array(6)
const cross = new Float64Array(3)
