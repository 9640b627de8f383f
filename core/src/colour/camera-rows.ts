import { allocate } from '../parallel/allocate'
import { distort, type Camera } from '../view/camera'

/* Cameras as numbers that threads can be handed: what of them a loop over points needs. */

const ROW = 22
/** A place so much farther out than the corners is not looked for: lenses fold their far outside back. */
const BEYOND = 1.3

/** n×22: width, height, focal, principal point, distortion, rotation and shift by rows. */
export function cameraRows(cameras: readonly Camera[], shared: boolean): Float64Array {
  const out = allocate(Float64Array, cameras.length * ROW, shared)
  cameras.forEach((c, i) => {
    const m = c.motion
    out.set([c.widthPx, c.heightPx, c.focalPx, ...c.principalPx, ...c.distortion, ...m.subarray(0, 12)], i * ROW)
  })
  return out
}

/** One camera of the rows, which projects points. */
export class RowCamera {
  readonly width: number
  readonly height: number
  private readonly focal: number
  private readonly cx: number
  private readonly cy: number
  private readonly lens: Camera['distortion']
  private readonly straight: boolean
  private readonly m: Float64Array
  private readonly bent = new Float64Array(2)
  /** Where it stands. */
  readonly eye: readonly [number, number, number]
  u = 0
  v = 0
  depth = 0
  private readonly outside: number

  constructor(rows: Float64Array, index: number) {
    const r = rows.subarray(index * ROW, (index + 1) * ROW)
    ;[this.width, this.height, this.focal, this.cx, this.cy] = r
    this.lens = [r[5], r[6], r[7], r[8], r[9]]
    this.straight = this.lens.every((k) => k === 0)
    this.outside = (BEYOND ** 2 * (this.width ** 2 + this.height ** 2)) / (2 * this.focal) ** 2
    const m = (this.m = r.subarray(10, 22))
    this.eye = [0, 1, 2].map((c) => -(m[c] * m[3] + m[4 + c] * m[7] + m[8 + c] * m[11])) as [number, number, number]
  }

  /** Pixels of a mm square to it at a depth. */
  pixelsPerMm(depth: number): number {
    return this.focal / depth
  }

  /** Sets `u`, `v` and `depth`; the former only of what lies ahead. */
  project(x: number, y: number, z: number): void {
    const { m, bent } = this
    const w = (this.depth = m[8] * x + m[9] * y + m[10] * z + m[11])
    if (!(w > 0)) return
    let a = (m[0] * x + m[1] * y + m[2] * z + m[3]) / w,
      b = (m[4] * x + m[5] * y + m[6] * z + m[7]) / w
    if (a * a + b * b > this.outside) {
      this.u = this.v = -1e6
      return
    }
    if (!this.straight) {
      distort(this.lens, a, b, bent)
      a = bent[0]
      b = bent[1]
    }
    this.u = this.cx + this.focal * a
    this.v = this.cy + this.focal * b
  }

  /** A direction in the camera's axes. */
  turn(x: number, y: number, z: number, out: Float64Array): void {
    const m = this.m
    out[0] = m[0] * x + m[1] * y + m[2] * z
    out[1] = m[4] * x + m[5] * y + m[6] * z
    out[2] = m[8] * x + m[9] * y + m[10] * z
  }
}
