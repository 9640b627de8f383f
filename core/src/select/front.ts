import { emptyBits, setBit } from './bits'
import type { Items } from './lasso'
import type { View } from './view'

/**
 * What is nearest at every pixel of the stage, from all points that are shown: each point covers as much of the picture
 * as its share of the surface (its spacing), so that a dense enough cloud has no gaps for what lies behind to show
 * through.
 */
export interface DepthBuffer {
  readonly width: number
  readonly height: number
  /** Depth of the nearest point along the way of sight, mm; Infinity where there is none. */
  readonly nearest: Float32Array
}

/** A point's disc reaches this many of its spacings: neighbours' discs must meet at their diagonals. */
const REACH = 0.85
const MAX_PIXELS = 24
/** What lies this many spacings behind the nearest point is still its surface. */
const TOLERANCE_SPACINGS = 2
/** Slopes steeper than this are taken as this: at an outline a pixel holds every depth. */
const MAX_SLOPE = 6

/** A buffer in which nothing stands before anything. */
export const emptyDepth = (width: number, height: number): DepthBuffer => ({
  width,
  height,
  nearest: new Float32Array(width * height).fill(Infinity),
})

/** How a view measures depth: along the way of sight in mm, and how many mm a pixel spans there. */
interface Sight {
  /** Row that gives the depth of a place. */
  readonly row: readonly [number, number, number, number]
  readonly perspective: boolean
  /** Millimetres a pixel spans; in perspective at depth 1. */
  readonly pixelMm: number
}

function sightOf(view: View): Sight {
  const { matrix: m } = view
  const pixelMm = 2 / (view.width * Math.hypot(m[0], m[1], m[2]))
  const perspective = Math.hypot(m[12], m[13], m[14]) > 0
  const at = perspective ? 12 : 8
  // Clip depth grows away from the eye in either kind of picture; a turn and a shift keep millimetres, so the row is
  // brought to length one.
  const l = Math.hypot(m[at], m[at + 1], m[at + 2])
  return {
    row: [m[at] / l, m[at + 1] / l, m[at + 2] / l, m[at + 3] / l],
    perspective,
    pixelMm: perspective ? pixelMm * l : pixelMm,
  }
}

/** Which way the eye looks in a view, of length one, in the coordinates that the view takes. */
export function lookOf(view: View): [number, number, number] {
  const { row } = sightOf(view)
  return [row[0], row[1], row[2]]
}

/**
 * Draws points into the buffer as square splats of their spacing.
 * @param items in the coordinates that `view` takes
 * @param spacingMm between neighbours on the surface
 */
export function addDepth(buffer: DepthBuffer, { positions: p }: Items, view: View, spacingMm: number): void {
  const { matrix: m } = view
  const { width, height, nearest } = buffer
  const [m0, m1, m2, m3, m4, m5, m6, m7] = Array.from(m).slice(0, 8) as [
    number,
    number,
    number,
    number,
    number,
    number,
    number,
    number,
  ]
  const m12 = m[12],
    m13 = m[13],
    m14 = m[14],
    m15 = m[15]
  const { row, perspective, pixelMm } = sightOf(view)
  const reach = (REACH * spacingMm) / pixelMm
  for (let k = 0; k < p.length; k += 3) {
    const x = p[k],
      y = p[k + 1],
      z = p[k + 2]
    const w = m12 * x + m13 * y + m14 * z + m15
    if (!(w > 0)) continue
    const u = ((m0 * x + m1 * y + m2 * z + m3) / w + 1) * (width / 2),
      v = (1 - (m4 * x + m5 * y + m6 * z + m7) / w) * (height / 2)
    const d = row[0] * x + row[1] * y + row[2] * z + row[3]
    const r = Math.min(MAX_PIXELS, perspective ? reach / d : reach)
    const u0 = Math.max(0, Math.floor(u - r)),
      u1 = Math.min(width - 1, Math.floor(u + r))
    const v0 = Math.max(0, Math.floor(v - r)),
      v1 = Math.min(height - 1, Math.floor(v + r))
    for (let b = v0; b <= v1; b++)
      for (let at = b * width + u0, e = b * width + u1; at <= e; at++) if (d < nearest[at]) nearest[at] = d
  }
}

/** Draws triangles into the buffer: in perspective depth is linear in the picture as its inverse (Heckbert 1989). */
export function addMeshDepth(
  buffer: DepthBuffer,
  positions: Float32Array,
  indices: ArrayLike<number>,
  view: View,
): void {
  const { matrix: m } = view
  const { width, height, nearest } = buffer
  const u = new Float64Array(3),
    v = new Float64Array(3),
    depth = new Float64Array(3)
  const { row, perspective } = sightOf(view)
  for (let f = 0; f < indices.length; f += 3) {
    let front = true
    for (let k = 0; k < 3; k++) {
      const i = indices[f + k] * 3
      const x = positions[i],
        y = positions[i + 1],
        z = positions[i + 2]
      const w = m[12] * x + m[13] * y + m[14] * z + m[15]
      if (!(w > 0)) front = false
      depth[k] = row[0] * x + row[1] * y + row[2] * z + row[3]
      u[k] = ((m[0] * x + m[1] * y + m[2] * z + m[3]) / w + 1) * (width / 2)
      v[k] = (1 - (m[4] * x + m[5] * y + m[6] * z + m[7]) / w) * (height / 2)
    }
    if (!front) continue
    const area = (u[1] - u[0]) * (v[2] - v[0]) - (u[2] - u[0]) * (v[1] - v[0])
    if (area === 0) continue
    const v0 = Math.max(0, Math.ceil(Math.min(v[0], v[1], v[2]) - 0.5)),
      v1 = Math.min(height - 1, Math.floor(Math.max(v[0], v[1], v[2]) - 0.5))
    const u0 = Math.max(0, Math.ceil(Math.min(u[0], u[1], u[2]) - 0.5)),
      u1 = Math.min(width - 1, Math.floor(Math.max(u[0], u[1], u[2]) - 0.5))
    for (let b = v0; b <= v1; b++)
      for (let a = u0; a <= u1; a++) {
        const x = a + 0.5,
          y = b + 0.5
        const l1 = ((x - u[0]) * (v[2] - v[0]) - (u[2] - u[0]) * (y - v[0])) / area
        const l2 = ((u[1] - u[0]) * (y - v[0]) - (x - u[0]) * (v[1] - v[0])) / area
        const l0 = 1 - l1 - l2
        if (l0 < 0 || l1 < 0 || l2 < 0) continue
        const d = perspective
          ? 1 / (l0 / depth[0] + l1 / depth[1] + l2 / depth[2])
          : l0 * depth[0] + l1 * depth[1] + l2 * depth[2]
        if (d < nearest[b * width + a]) nearest[b * width + a] = d
      }
  }
}

/** Cosine past a right angle from which a surface faces away; and the least cosine a slope is reckoned with. */
const FACING_AWAY = 0.1
const MIN_COS = 0.05

/**
 * Whether an item shows, whose pixel of the stage is given: nothing lies before it but its own surface. The room left
 * for that is some spacings and, where the surface slopes away, what it falls over a pixel; items that face away never
 * show where normals are known.
 */
function frontTest(
  items: Items,
  view: View,
  buffer: DepthBuffer & { readonly toleranceMm?: number },
): (i: number, pixel: number) => boolean {
  const { positions: p, normals: n } = items
  const { nearest } = buffer
  const {
    row: [r0, r1, r2, r3],
    perspective,
    pixelMm,
  } = sightOf(view)
  const tolerance = buffer.toleranceMm ?? 0
  const oriented = items.oriented !== false
  return (i, pixel) => {
    const k = i * 3
    const d = r0 * p[k] + r1 * p[k + 1] + r2 * p[k + 2] + r3
    const room = perspective ? pixelMm * d : pixelMm
    const behind = d - nearest[pixel]
    // Most hidden points lie behind by more than any slope would explain.
    if (behind > MAX_SLOPE * (tolerance + room)) return false
    if (!n) return behind <= tolerance + room
    const x = n[k],
      y = n[k + 1],
      z = n[k + 2]
    const l2 = x * x + y * y + z * z
    if (!(l2 > 0)) return behind <= tolerance + room
    const along = x * r0 + y * r1 + z * r2
    const c2 = (along * along) / l2
    if (oriented && along > 0 && c2 > FACING_AWAY * FACING_AWAY) return false
    const slope = Math.min(MAX_SLOPE, Math.sqrt(Math.max(0, 1 - c2) / Math.max(MIN_COS * MIN_COS, c2)))
    return behind <= tolerance * Math.max(1, slope) + slope * room
  }
}

/**
 * The items that show.
 * @param pixels of the items, see `pixelsOf`
 * @returns a set, one bit an item
 */
export function frontOf(
  items: Items,
  view: View,
  pixels: Uint32Array,
  buffer: DepthBuffer & { readonly toleranceMm?: number },
): Uint8Array {
  const bits = emptyBits(pixels.length)
  const shows = frontTest(items, view, buffer),
    nowhere = view.width * view.height
  for (let i = 0; i < pixels.length; i++) if (pixels[i] < nowhere && shows(i, pixels[i])) setBit(bits, i)
  return bits
}

/** A buffer for front tests over clouds of a spacing. */
export const withTolerance = (
  buffer: DepthBuffer,
  spacingMm: number,
): DepthBuffer & { readonly toleranceMm: number } => ({ ...buffer, toleranceMm: TOLERANCE_SPACINGS * spacingMm })
