import { checkpoint, type RunContext } from '../context'
import type { View } from './points'

/** What one frame saw, as a small depth picture from its origin. */
interface DepthMap {
  readonly origin: readonly [number, number, number]
  readonly axis: readonly [number, number, number]
  readonly right: readonly [number, number, number]
  readonly up: readonly [number, number, number]
  readonly width: number
  readonly height: number
  /** Pixels per unit of tangent. */
  readonly scale: number
  readonly left: number
  readonly bottom: number
  /** Nearest depth over the 3×3 pixels round each one, mm; 0 where fewer than seven of the nine hold points. */
  readonly depth: Float32Array
}

const MAX_PIXELS = 1024

function depthMap(view: View): DepthMap | null {
  const { points, origin } = view
  const n = points.length / 3
  if (n < 50) return null
  let cx = 0,
    cy = 0,
    cz = 0
  for (let i = 0; i < points.length; i += 3) {
    cx += points[i] / n
    cy += points[i + 1] / n
    cz += points[i + 2] / n
  }
  const axis = unit(cx - origin[0], cy - origin[1], cz - origin[2])
  const helper: [number, number, number] = Math.abs(axis[2]) < 0.9 ? [0, 0, 1] : [1, 0, 0]
  const right = unit(...cross(axis, helper))
  const up = cross(right, axis)
  const u = new Float32Array(n),
    v = new Float32Array(n),
    d = new Float32Array(n)
  let minU = Infinity,
    maxU = -Infinity,
    minV = Infinity,
    maxV = -Infinity
  for (let i = 0; i < n; i++) {
    const x = points[i * 3] - origin[0],
      y = points[i * 3 + 1] - origin[1],
      z = points[i * 3 + 2] - origin[2]
    const depth = x * axis[0] + y * axis[1] + z * axis[2]
    if (depth <= 0) return null
    d[i] = depth
    u[i] = (x * right[0] + y * right[1] + z * right[2]) / depth
    v[i] = (x * up[0] + y * up[1] + z * up[2]) / depth
    minU = Math.min(minU, u[i])
    maxU = Math.max(maxU, u[i])
    minV = Math.min(minV, v[i])
    maxV = Math.max(maxV, v[i])
  }
  // About two points a pixel if the picture were full.
  const pixel = Math.max(
    Math.sqrt(((maxU - minU) * (maxV - minV)) / n) * 1.5,
    (maxU - minU) / MAX_PIXELS,
    (maxV - minV) / MAX_PIXELS,
    1e-9,
  )
  const width = Math.floor((maxU - minU) / pixel) + 1
  const height = Math.floor((maxV - minV) / pixel) + 1
  const near = new Float32Array(width * height)
  for (let i = 0; i < n; i++) {
    const at = Math.floor((v[i] - minV) / pixel) * width + Math.floor((u[i] - minU) / pixel)
    if (near[at] === 0 || d[i] < near[at]) near[at] = d[i]!
  }
  const depth = new Float32Array(width * height)
  for (let y = 1; y < height - 1; y++) {
    for (let x = 1; x < width - 1; x++) {
      let seen = 0
      let least = Infinity
      for (let dy = -1; dy <= 1; dy++)
        for (let dx = -1; dx <= 1; dx++) {
          const f = near[(y + dy) * width + x + dx]
          if (f > 0) {
            seen++
            if (f < least) least = f
          }
        }
      if (seen >= 7) depth[y * width + x] = least
    }
  }
  return { origin, axis, right, up, width, height, scale: 1 / pixel, left: minU, bottom: minV, depth }
}

function unit(x: number, y: number, z: number): [number, number, number] {
  const l = Math.sqrt(x * x + y * y + z * z) || 1
  return [x / l, y / l, z / l]
}

function cross(a: readonly [number, number, number], b: readonly [number, number, number]): [number, number, number] {
  return [a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0]]
}

/**
 * Free space: a node that lies in front of what a frame saw by more than `marginMm` cannot be inside the piece (space
 * carving, Curless and Levoy 1996, section 4). `each(mark)` is called with every node to judge; returns how many were
 * found free.
 */
export function carveFreeSpace(
  views: readonly View[],
  marginMm: number,
  candidates: Int32Array,
  place: (node: number, out: Float64Array) => void,
  mark: (node: number) => void,
  context: RunContext,
): number {
  const maps = views.map(depthMap).filter((m): m is DepthMap => m !== null)
  const p = new Float64Array(3)
  let free = 0
  for (let c = 0; c < candidates.length; c++) {
    if ((c & 16383) === 0) checkpoint(context, c, candidates.length, 'Reading free space from the views')
    const node = candidates[c]
    place(node, p)
    for (const m of maps) {
      const x = p[0] - m.origin[0],
        y = p[1] - m.origin[1],
        z = p[2] - m.origin[2]
      const depth = x * m.axis[0] + y * m.axis[1] + z * m.axis[2]
      if (depth <= 0) continue
      const u = Math.floor(((x * m.right[0] + y * m.right[1] + z * m.right[2]) / depth - m.left) * m.scale)
      const v = Math.floor(((x * m.up[0] + y * m.up[1] + z * m.up[2]) / depth - m.bottom) * m.scale)
      if (u < 0 || v < 0 || u >= m.width || v >= m.height) continue
      const seen = m.depth[v * m.width + u]
      if (seen > 0 && depth < seen - marginMm) {
        mark(node)
        free++
        break
      }
    }
  }
  return free
}
