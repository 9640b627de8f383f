import type { Motion } from '../linear/rigid'

/**
 * A camera with a lens: a pinhole whose picture is bent after Brown (1971, "Close-range camera calibration"). Pixels are
 * counted from the upper left corner of the picture, so that the middle of the first one is 0.5, 0.5.
 */
export interface Camera {
  readonly widthPx: number
  readonly heightPx: number
  readonly focalPx: number
  readonly principalPx: readonly [number, number]
  /** k1, k2, p1, p2, k3, of places at a distance of one. */
  readonly distortion: readonly [number, number, number, number, number]
  /** What it looks at, mm → camera (x right, y down, z ahead). */
  readonly motion: Motion
}

export const STRAIGHT: Camera['distortion'] = [0, 0, 0, 0, 0]

const ROUNDS = 30
const CLOSE = 1e-12

/** Where a place at x, y and a distance of one comes to lie through the lens. @param out gets two numbers */
export function distort([k1, k2, p1, p2, k3]: Camera['distortion'], x: number, y: number, out: Float64Array): void {
  const r = x * x + y * y
  const radial = 1 + r * (k1 + r * (k2 + r * k3))
  out[0] = x * radial + 2 * p1 * x * y + p2 * (r + 2 * x * x)
  out[1] = y * radial + p1 * (r + 2 * y * y) + 2 * p2 * x * y
}

/** The place that comes to lie at u, v through the lens, by repetition. @param out gets two numbers */
export function undistort(lens: Camera['distortion'], u: number, v: number, out: Float64Array): void {
  let x = u,
    y = v
  for (let i = 0; i < ROUNDS; i++) {
    distort(lens, x, y, out)
    const dx = u - out[0],
      dy = v - out[1]
    x += dx
    y += dy
    if (dx * dx + dy * dy < CLOSE * CLOSE) break
  }
  out[0] = x
  out[1] = y
}

/**
 * Where a point appears, px, and how far ahead of the camera it lies, mm.
 * @param out gets u, v and the depth; of a point behind the camera only the depth is told
 */
export function project(camera: Camera, x: number, y: number, z: number, out: Float64Array): void {
  const m = camera.motion
  const depth = m[8] * x + m[9] * y + m[10] * z + m[11]
  if (depth > 0) {
    const a = (m[0] * x + m[1] * y + m[2] * z + m[3]) / depth,
      b = (m[4] * x + m[5] * y + m[6] * z + m[7]) / depth
    distort(camera.distortion, a, b, out)
    out[0] = camera.principalPx[0] + camera.focalPx * out[0]
    out[1] = camera.principalPx[1] + camera.focalPx * out[1]
  }
  out[2] = depth
}

/** Where a camera stands in the coordinates of what it looks at, mm. */
export function eyeOf({ motion: m }: Camera): [number, number, number] {
  return [0, 1, 2].map((c) => -(m[c] * m[3] + m[4 + c] * m[7] + m[8 + c] * m[11])) as [number, number, number]
}

/** The same camera with a picture of another width. */
export function atWidth(camera: Camera, widthPx: number): Camera {
  const k = widthPx / camera.widthPx
  return {
    ...camera,
    widthPx,
    heightPx: Math.round(camera.heightPx * k),
    focalPx: camera.focalPx * k,
    principalPx: [camera.principalPx[0] * k, camera.principalPx[1] * k],
  }
}
