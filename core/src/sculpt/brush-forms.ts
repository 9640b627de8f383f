import { across } from '../linear/across'
import { circleAcross } from '../linear/circle'
import { smallestEigen3 } from '../linear/symmetric3'

/** A plane or a cylinder that a brush lays a surface onto. */
export interface Form {
  readonly kind: 'plane' | 'cylinder'
  /** How a place gets onto it by the shortest way, mm, into `out`. */
  way(x: number, y: number, z: number, out: Float64Array): void
}

export interface Plane extends Form {
  /** Of length 1; faces as the points do. */
  readonly normal: readonly [number, number, number]
  readonly offsetMm: number
}

/** Rounds of weighing down what lies off the form that most of the surface tells. */
const ROUNDS = 6
/** Tukey's constant, in robust deviations (Huber 1981, Robust Statistics). */
const TUKEY = 4.685
const MAD = 1.4826
/** Where most lies on the form exactly, what lies off by less than this share of the farthest is on it, too. */
const LEAST_REACH = 1e-3
/** Normals spread less than this share along their second direction are a plane's. */
const FLAT_SPREAD = 1e-3

interface Patch {
  readonly p: Float32Array
  readonly n: Float32Array
  /** Vertices, and how much each counts. */
  readonly list: Int32Array
  readonly weights: Float64Array
}

/**
 * The plane most of a patch lies in, by least squares with Tukey's weights: what stands out of it does not lift it.
 * Null where the patch holds fewer than three points.
 */
export function fitFace(patch: Patch): Plane | null {
  const { p, n, list, weights } = patch
  if (list.length < 3) return null
  const eigen = new Float64Array(6)
  let nx = 0,
    ny = 0,
    nz = 0,
    d = 0
  const away = new Float64Array(list.length)
  robustly(list.length, weights, away, (w) => {
    let sum = 0,
      mx = 0,
      my = 0,
      mz = 0,
      fx = 0,
      fy = 0,
      fz = 0
    for (let i = 0; i < list.length; i++) {
      const v = list[i] * 3
      sum += w[i]
      mx += w[i] * p[v]
      my += w[i] * p[v + 1]
      mz += w[i] * p[v + 2]
      fx += w[i] * n[v]
      fy += w[i] * n[v + 1]
      fz += w[i] * n[v + 2]
    }
    mx /= sum
    my /= sum
    mz /= sum
    const s = new Float64Array(6)
    for (let i = 0; i < list.length; i++) {
      const v = list[i] * 3
      const x = p[v] - mx,
        y = p[v + 1] - my,
        z = p[v + 2] - mz
      addSquare(s, x, y, z, w[i])
    }
    smallestEigen3(s[0], s[1], s[2], s[3], s[4], s[5], eigen)
    const sign = eigen[3] * fx + eigen[4] * fy + eigen[5] * fz < 0 ? -1 : 1
    nx = sign * eigen[3]
    ny = sign * eigen[4]
    nz = sign * eigen[5]
    d = nx * mx + ny * my + nz * mz
    for (let i = 0; i < list.length; i++) {
      const v = list[i] * 3
      away[i] = nx * p[v] + ny * p[v + 1] + nz * p[v + 2] - d
    }
  })
  return {
    kind: 'plane',
    normal: [nx, ny, nz],
    offsetMm: d,
    way(x, y, z, out) {
      const h = d - (nx * x + ny * y + nz * z)
      out[0] = h * nx
      out[1] = h * ny
      out[2] = h * nz
    },
  }
}

/**
 * The cylinder most of a patch lies on: its axis is the direction the normals have least of, its circle the algebraic
 * fit across it (Kåsa 1976), with Tukey's weights. Where the patch bends too little to tell, its plane.
 */
export function fitCylinder(patch: Patch): Form | null {
  const { p, n, list, weights } = patch
  if (list.length < 6) return fitFace(patch)
  const eigen = new Float64Array(6),
    frame = new Float64Array(6)
  let ax = 0,
    ay = 0,
    az = 0,
    u0 = 0,
    v0 = 0,
    r = 0,
    flat = false
  const away = new Float64Array(list.length)
  robustly(list.length, weights, away, (w) => {
    const s = new Float64Array(6)
    for (let i = 0; i < list.length; i++) {
      const v = list[i] * 3
      addSquare(s, n[v], n[v + 1], n[v + 2], w[i])
    }
    smallestEigen3(s[0], s[1], s[2], s[3], s[4], s[5], eigen)
    ax = eigen[3]
    ay = eigen[4]
    az = eigen[5]
    flat ||= eigen[1] < FLAT_SPREAD * eigen[2]
    across(ax, ay, az, frame)
    const circle = circleAcross(p, list, frame, w)
    if (!circle) {
      flat = true
      return
    }
    u0 = circle.u
    v0 = circle.v
    r = circle.radius
    for (let i = 0; i < list.length; i++) {
      const k = list[i] * 3
      const u = frame[0] * p[k] + frame[1] * p[k + 1] + frame[2] * p[k + 2] - u0,
        v = frame[3] * p[k] + frame[4] * p[k + 1] + frame[5] * p[k + 2] - v0
      away[i] = Math.sqrt(u * u + v * v) - r
    }
  })
  if (flat || !(r > 0)) return fitFace(patch)
  const [e0, e1, e2, e3, e4, e5] = frame
  const [cu, cv, radius] = [u0, v0, r]
  return {
    kind: 'cylinder',
    way(x, y, z, out) {
      const u = e0 * x + e1 * y + e2 * z - cu,
        v = e3 * x + e4 * y + e5 * z - cv
      const l = Math.sqrt(u * u + v * v)
      const k = l > 0 ? radius / l - 1 : 0
      out[0] = k * (u * e0 + v * e3)
      out[1] = k * (u * e1 + v * e4)
      out[2] = k * (u * e2 + v * e5)
    },
  }
}

function addSquare(s: Float64Array, x: number, y: number, z: number, w: number): void {
  s[0] += w * x * x
  s[1] += w * x * y
  s[2] += w * x * z
  s[3] += w * y * y
  s[4] += w * y * z
  s[5] += w * z * z
}

/** Fits again and again, each time weighing each point by how far off it lay. @param away written by `fit` */
function robustly(n: number, weights: Float64Array, away: Float64Array, fit: (weights: Float64Array) => void): void {
  const w = weights.slice()
  const sizes = new Float64Array(n)
  for (let round = 0; round < ROUNDS; round++) {
    fit(w)
    // About where most of it lies: what stands out has lifted the form, and all else lies under it alike.
    sizes.set(away)
    const middle = sizes.sort()[n >> 1]
    for (let i = 0; i < n; i++) sizes[i] = Math.abs(away[i] - middle)
    sizes.sort()
    const reach = Math.max(TUKEY * MAD * sizes[n >> 1], LEAST_REACH * sizes[n - 1])
    if (!(reach > 0)) return
    for (let i = 0; i < n; i++) {
      const t = (away[i] - middle) / reach
      w[i] = Math.abs(t) < 1 ? weights[i] * (1 - t * t) ** 2 : 0
    }
  }
  fit(w)
}
