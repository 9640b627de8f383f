import type { TriangleMesh } from '../shapes'
import { drawInverseDepth } from './depth-raster'
import { lookAxes } from './look-axes'

/**
 * What an eye sees of a closed mesh: a square perspective depth buffer, filled by scan conversion of the faces turned
 * towards it. Depth along the axis, as 1/z, which is linear in the picture (Heckbert 1989). Buffers are kept between
 * views; not re-entrant.
 */
export class DepthMap {
  /** 1/z of the nearest face; 0 where there is none. */
  private readonly inverse: Float32Array
  private readonly sx: Float64Array
  private readonly sy: Float64Array
  private readonly sw: Float64Array
  private eye: [number, number, number] = [0, 0, 0]
  private axes = new Float64Array(9)
  private focal = 1
  private half: number

  constructor(
    private readonly mesh: TriangleMesh,
    readonly pixels = 240,
  ) {
    this.inverse = new Float32Array(pixels * pixels)
    const n = mesh.positions.length / 3
    this.sx = new Float64Array(n)
    this.sy = new Float64Array(n)
    this.sw = new Float64Array(n)
    this.half = pixels / 2
  }

  /**
   * @param eye x, y, z in the mesh's coordinates, mm
   * @param target what the picture's middle shows
   * @param halfAngleRad half the field of view
   */
  look(eye: readonly [number, number, number], target: readonly [number, number, number], halfAngleRad: number): void {
    const { axes, mesh } = this
    this.eye = [...eye]
    const [rx, ry, rz, , , , fx, fy, fz] = lookAxes(target[0] - eye[0], target[1] - eye[1], target[2] - eye[2], axes)
    this.focal = this.half / Math.tan(Math.min(halfAngleRad, 1.3))
    this.inverse.fill(0)
    const p = mesh.positions
    for (let i = 0; i < this.sx.length; i++) {
      const x = p[i * 3] - eye[0],
        y = p[i * 3 + 1] - eye[1],
        z = p[i * 3 + 2] - eye[2]
      const w = fx * x + fy * y + fz * z
      this.sw[i] = w
      const k = this.focal / w
      this.sx[i] = this.half + (rx * x + ry * y + rz * z) * k
      this.sy[i] = this.half + (axes[3] * x + axes[4] * y + axes[5] * z) * k
    }
    const t = mesh.indices
    for (let f = 0; f < t.length; f += 3) this.face(t[f], t[f + 1], t[f + 2])
  }

  private face(a: number, b: number, c: number): void {
    const { sw } = this
    const wa = sw[a],
      wb = sw[b],
      wc = sw[c]
    if (wa > NEAR_MM && wb > NEAR_MM && wc > NEAR_MM) {
      this.fill(this.sx[a], this.sy[a], 1 / wa, this.sx[b], this.sy[b], 1 / wb, this.sx[c], this.sy[c], 1 / wc)
      return
    }
    if (wa <= NEAR_MM && wb <= NEAR_MM && wc <= NEAR_MM) return
    this.clipped(a, b, c)
  }

  /** A face partly behind the eye, cut at the near plane (Sutherland and Hodgman 1974). */
  private clipped(...face: [number, number, number]): void {
    const { axes, eye } = this
    const p = this.mesh.positions
    const local = face.map((v) => {
      const d = [p[v * 3] - eye[0], p[v * 3 + 1] - eye[1], p[v * 3 + 2] - eye[2]]
      return [0, 3, 6].map((k) => axes[k] * d[0] + axes[k + 1] * d[1] + axes[k + 2] * d[2])
    })
    const kept: number[][] = []
    for (let i = 0; i < 3; i++) {
      const u = local[i],
        v = local[(i + 1) % 3]
      if (u[2] > NEAR_MM) kept.push(u)
      if (u[2] > NEAR_MM !== v[2] > NEAR_MM) {
        const t = (NEAR_MM - u[2]) / (v[2] - u[2])
        kept.push([u[0] + t * (v[0] - u[0]), u[1] + t * (v[1] - u[1]), NEAR_MM])
      }
    }
    const s = kept.map((v) => [
      this.half + (v[0] * this.focal) / v[2],
      this.half + (v[1] * this.focal) / v[2],
      1 / v[2],
    ])
    for (let i = 1; i + 1 < s.length; i++)
      this.fill(s[0][0], s[0][1], s[0][2], s[i][0], s[i][1], s[i][2], s[i + 1][0], s[i + 1][1], s[i + 1][2])
  }

  private fill(
    ax: number,
    ay: number,
    az: number,
    bx: number,
    by: number,
    bz: number,
    cx: number,
    cy: number,
    cz: number,
  ): void {
    // Faces turned away are hidden by others of a closed mesh.
    if ((bx - ax) * (cy - ay) - (cx - ax) * (by - ay) > 0)
      drawInverseDepth(this.inverse, this.pixels, this.pixels, ax, ay, az, bx, by, bz, cx, cy, cz)
  }

  /**
   * Whether the point is the nearest thing in its direction: nothing in the picture around it lies nearer than the
   * surface's own slope explains.
   * @param cosine of the angle between surface and line of sight
   */
  sees(x: number, y: number, z: number, cosine: number): boolean {
    const { axes, eye, pixels, half } = this
    const dx = x - eye[0],
      dy = y - eye[1],
      dz = z - eye[2]
    const w = axes[6] * dx + axes[7] * dy + axes[8] * dz
    if (w <= NEAR_MM) return false
    const k = this.focal / w
    const u = Math.floor(half + (axes[0] * dx + axes[1] * dy + axes[2] * dz) * k)
    const v = Math.floor(half + (axes[3] * dx + axes[4] * dy + axes[5] * dz) * k)
    if (u < 0 || v < 0 || u >= pixels || v >= pixels) return false
    const nearest = this.inverse[v * pixels + u]
    // One pixel's width on the surface, and how much nearer the surface can come within it.
    const slope = Math.sqrt(Math.max(0, 1 - cosine * cosine)) / Math.max(cosine, 0.05)
    const slack = (w / this.focal) * (0.75 * slope + 0.25)
    return nearest === 0 || 1 / nearest >= w - slack
  }

  /**
   * Distance from the eye along a unit direction to the nearest face. 0 where there is none in the picture around it;
   * negative where an outline runs through the picture there, so that only a true ray can tell (its size is the nearest
   * distance about).
   */
  rangeAlong(dx: number, dy: number, dz: number): number {
    const { axes, pixels, half, inverse } = this
    const w = axes[6] * dx + axes[7] * dy + axes[8] * dz
    if (w <= 0) return 0
    const k = this.focal / w
    const u = Math.floor(half + (axes[0] * dx + axes[1] * dy + axes[2] * dz) * k)
    const v = Math.floor(half + (axes[3] * dx + axes[4] * dy + axes[5] * dz) * k)
    if (u < 1 || v < 1 || u >= pixels - 1 || v >= pixels - 1) return 0
    const i = v * pixels + u
    const a = inverse[i],
      b = inverse[i - 1],
      c = inverse[i + 1],
      d = inverse[i - pixels],
      e = inverse[i + pixels]
    const high = Math.max(a, b, c, d, e),
      low = Math.min(a, b, c, d, e)
    if (high === 0) return 0
    if (low === 0 || 1 / low - 1 / high > STEP_PIXELS / (high * this.focal)) return -1 / (high * w)
    return 1 / (a * w)
  }
}

/** Depths that differ by more than this many pixels' widths between neighbours belong to two surfaces. */
const STEP_PIXELS = 6

/** Nothing nearer than this to an eye is drawn, mm. */
const NEAR_MM = 1
