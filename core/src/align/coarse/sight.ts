import { type Motion } from '../../linear/rigid'
import type { PointCloud } from '../../shapes'

/** Depth pictures of a take's frames, coarse: what each frame saw first in each direction. */
export interface Sight {
  readonly frames: readonly SightFrame[]
  /** Width of a pixel at the piece, mm: what stands in front by less than a few of them may be a slope. */
  readonly pixelMm: number
}

interface SightFrame {
  /** Rows of the frame's axes (right, up, ahead) and its origin, in the take's coordinates. */
  readonly axes: Float64Array
  readonly origin: Float64Array
  readonly cell: number
  readonly low: readonly [number, number]
  readonly columns: number
  readonly rows: number
  /** Nearest depth about each pixel, Infinity where a neighbouring pixel is empty. */
  readonly depth: Float32Array
}

const MOST_FRAMES = 8
const LEAST_POINTS = 50

/** @param pixelMm pixels are about so wide at the piece; at least two spacings, or they have holes */
export function sightOf(cloud: PointCloud, pixelMm: number): Sight {
  const { frame, frameOrigins } = cloud
  if (!frame || !frameOrigins) return { frames: [], pixelMm }
  const counts = new Int32Array(frameOrigins.length / 3)
  for (const f of frame) counts[f]++
  const used = [...counts.keys()].filter((f) => counts[f] >= LEAST_POINTS)
  const chosen =
    used.length <= MOST_FRAMES
      ? used
      : Array.from({ length: MOST_FRAMES }, (_, k) => used[Math.floor((k * used.length) / MOST_FRAMES)])
  return {
    pixelMm,
    frames: chosen.map((f) => sightFrame(cloud.positions, frame, f, frameOrigins.subarray(f * 3, f * 3 + 3), pixelMm)),
  }
}

function sightFrame(p: Float32Array, frame: Uint16Array, f: number, origin: Float64Array, pixelMm: number): SightFrame {
  let x = 0,
    y = 0,
    z = 0,
    n = 0
  for (let i = 0; i < frame.length; i++)
    if (frame[i] === f) {
      x += p[i * 3]
      y += p[i * 3 + 1]
      z += p[i * 3 + 2]
      n++
    }
  const ahead = [x / n - origin[0], y / n - origin[1], z / n - origin[2]]
  const far = Math.hypot(...ahead)
  const [ax, ay, az] = ahead.map((v) => v / far) as [number, number, number]
  const h = Math.abs(az) < 0.9 ? [-ay, ax, 0] : [0, -az, ay]
  const hl = Math.hypot(...h)
  const [rx, ry, rz] = h.map((v) => v / hl) as [number, number, number]
  const axes = Float64Array.of(rx, ry, rz, ay * rz - az * ry, az * rx - ax * rz, ax * ry - ay * rx, ax, ay, az)
  const u = new Float64Array(n),
    v = new Float64Array(n),
    d = new Float64Array(n)
  let u0 = Infinity,
    u1 = -Infinity,
    v0 = Infinity,
    v1 = -Infinity
  for (let i = 0, k = 0; i < frame.length; i++) {
    if (frame[i] !== f) continue
    const a = p[i * 3] - origin[0],
      b = p[i * 3 + 1] - origin[1],
      c = p[i * 3 + 2] - origin[2]
    d[k] = a * axes[6] + b * axes[7] + c * axes[8]
    u[k] = (a * axes[0] + b * axes[1] + c * axes[2]) / d[k]
    v[k] = (a * axes[3] + b * axes[4] + c * axes[5]) / d[k]
    u0 = Math.min(u0, u[k])
    u1 = Math.max(u1, u[k])
    v0 = Math.min(v0, v[k])
    v1 = Math.max(v1, v[k])
    k++
  }
  const cell = Math.max(pixelMm / far, (u1 - u0) / 400, (v1 - v0) / 400, 1e-9)
  const columns = Math.floor((u1 - u0) / cell) + 3,
    rows = Math.floor((v1 - v0) / cell) + 3
  const first = new Float32Array(columns * rows).fill(Infinity)
  for (let k = 0; k < n; k++) {
    const at = (Math.floor((v[k] - v0) / cell) + 1) * columns + Math.floor((u[k] - u0) / cell) + 1
    if (d[k] < first[at]) first[at] = d[k]!
  }
  // Nearest of 3×3; a pixel with an empty neighbour says nothing, for an outline may be anywhere in it.
  const depth = new Float32Array(columns * rows).fill(Infinity)
  for (let r = 1; r < rows - 1; r++)
    for (let c = 1; c < columns - 1; c++) {
      let nearest = Infinity,
        empty = 0
      for (let dr = -1; dr <= 1; dr++)
        for (let dc = -1; dc <= 1; dc++) {
          const w = first[(r + dr) * columns + c + dc]
          if (w === Infinity) empty++
          else if (w < nearest) nearest = w
        }
      if (empty <= 2) depth[r * columns + c] = nearest
    }
  return { axes, origin, cell, low: [u0 - cell, v0 - cell], columns, rows, depth }
}

/**
 * Of points of another take (in its own coordinates), how many would have hidden what this take saw: they stand in
 * front of it by more than `marginMm`.
 */
export function countInTheWay(
  sight: Sight,
  points: Float32Array,
  stride: number,
  toSight: Motion,
  marginMm: number,
  mask?: Uint8Array,
): number {
  let blocked = 0
  const [m0, m1, m2, m3, m4, m5, m6, m7, m8, m9, m10, m11] = toSight as unknown as number[]
  for (let i = 0; i < points.length; i += 3 * stride) {
    const x = m0 * points[i] + m1 * points[i + 1] + m2 * points[i + 2] + m3
    const y = m4 * points[i] + m5 * points[i + 1] + m6 * points[i + 2] + m7
    const z = m8 * points[i] + m9 * points[i + 1] + m10 * points[i + 2] + m11
    for (const f of sight.frames) {
      const a = x - f.origin[0],
        b = y - f.origin[1],
        c = z - f.origin[2]
      const d = a * f.axes[6] + b * f.axes[7] + c * f.axes[8]
      if (!(d > 0)) continue
      const u = Math.floor(((a * f.axes[0] + b * f.axes[1] + c * f.axes[2]) / d - f.low[0]) / f.cell)
      const v = Math.floor(((a * f.axes[3] + b * f.axes[4] + c * f.axes[5]) / d - f.low[1]) / f.cell)
      if (u < 0 || v < 0 || u >= f.columns || v >= f.rows) continue
      const w = f.depth[v * f.columns + u]
      if (w !== Infinity && d < w - marginMm) {
        blocked++
        if (mask) mask[i / 3] = 1
        break
      }
    }
  }
  return blocked
}
