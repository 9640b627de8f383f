import { boundsOf } from '../shapes'
import { radixOrder, spreadBits } from './cell-index'

/** Boxes over stretches of items that lie together: a choice looks into those only that it comes near. */
export interface Chunks {
  readonly size: number
  /** All items, neighbours in space next to each other: a stretch of `size` after the other. */
  readonly order: Uint32Array
  /** Their positions in that order: what lies together in space lies together in memory. */
  readonly positions: Float32Array
  /** Six a chunk: least x, y, z, greatest x, y, z. */
  readonly boxes: Float32Array
  /** The same of every so many chunks together. */
  readonly wide: Float32Array
}

const CHUNK = 512
/** Chunks that share a wide box. */
const TOGETHER = 16
const MIN_SLOPE = 1e-12
/** Steps along an axis of a Morton code. */
const STEPS = 1023

/**
 * Items in the order of their Morton codes (Morton 1966), cut into stretches. The items themselves stay where they are.
 */
export function chunksOf(positions: Float32Array, size = CHUNK): Chunks {
  const n = positions.length / 3
  const { min, max } = boundsOf(positions)
  const scale = STEPS / Math.max(max[0] - min[0], max[1] - min[1], max[2] - min[2], 1e-9)
  const codes = new Uint32Array(n)
  for (let i = 0, k = 0; i < n; i++, k += 3)
    codes[i] =
      spreadBits((positions[k] - min[0]) * scale) |
      (spreadBits((positions[k + 1] - min[1]) * scale) << 1) |
      (spreadBits((positions[k + 2] - min[2]) * scale) << 2)
  const order = radixOrder(codes)
  const boxes = new Float32Array(Math.ceil(n / size) * 6)
  const ordered = new Float32Array(n * 3)
  for (let c = 0; c * 6 < boxes.length; c++) {
    let x0 = Infinity,
      y0 = Infinity,
      z0 = Infinity,
      x1 = -Infinity,
      y1 = -Infinity,
      z1 = -Infinity
    for (let s = c * size, e = Math.min(n, (c + 1) * size); s < e; s++) {
      const k = order[s] * 3
      const x = (ordered[s * 3] = positions[k]!),
        y = (ordered[s * 3 + 1] = positions[k + 1]!),
        z = (ordered[s * 3 + 2] = positions[k + 2]!)
      if (x < x0) x0 = x
      if (x > x1) x1 = x
      if (y < y0) y0 = y
      if (y > y1) y1 = y
      if (z < z0) z0 = z
      if (z > z1) z1 = z
    }
    boxes.set([x0, y0, z0, x1, y1, z1], c * 6)
  }
  return { size, order, positions: ordered, boxes, wide: boxesOver(boxes) }
}

/** Boxes over every so many boxes. */
function boxesOver(boxes: Float32Array): Float32Array {
  const wide = new Float32Array(Math.ceil(boxes.length / 6 / TOGETHER) * 6)
  for (let b = 0; b < boxes.length; b += 6) {
    const w = Math.floor(b / 6 / TOGETHER) * 6
    const first = b % (6 * TOGETHER) === 0
    for (let axis = 0; axis < 3; axis++) {
      wide[w + axis] = first ? boxes[b + axis] : Math.min(wide[w + axis], boxes[b + axis])
      wide[w + 3 + axis] = first ? boxes[b + 3 + axis] : Math.max(wide[w + 3 + axis], boxes[b + 3 + axis])
    }
  }
  return wide
}

/** Chunks whose boxes pass a test that their wide box passes, too; ascending. */
function chunksThat({ boxes, wide }: Chunks, passes: (boxes: Float32Array, b: number) => boolean): number[] {
  const out: number[] = []
  for (let w = 0; w < wide.length; w += 6) {
    if (!passes(wide, w)) continue
    for (let b = w * TOGETHER, e = Math.min(boxes.length, b + 6 * TOGETHER); b < e; b += 6)
      if (passes(boxes, b)) out.push(b / 6)
  }
  return out
}

/** Chunks whose boxes may come nearer than a distance to a stretch from a to b (a point when they are the same). */
export function chunksNear(chunks: Chunks, a: ArrayLike<number>, b: ArrayLike<number>, distance: number): number[] {
  const x0 = Math.min(a[0], b[0]) - distance,
    y0 = Math.min(a[1], b[1]) - distance,
    z0 = Math.min(a[2], b[2]) - distance
  const x1 = Math.max(a[0], b[0]) + distance,
    y1 = Math.max(a[1], b[1]) + distance,
    z1 = Math.max(a[2], b[2]) + distance
  return chunksThat(
    chunks,
    (q, k) => q[k] <= x1 && q[k + 3] >= x0 && q[k + 1] <= y1 && q[k + 4] >= y0 && q[k + 2] <= z1 && q[k + 5] >= z0,
  )
}

/**
 * Chunks whose boxes, grown by a distance, a ray meets: what it may come nearer to than that (slabs, Kay and Kajiya
 * 1986).
 */
export function chunksAlong(
  chunks: Chunks,
  origin: readonly number[],
  direction: readonly number[],
  distance: number,
): number[] {
  const [ox, oy, oz] = origin as [number, number, number]
  // Across an axis the ray goes along there is nothing to divide by: it lies in the slab, all the way, or it does not.
  const [ix, iy, iz] = direction.map((d) => (Math.abs(d) < MIN_SLOPE ? 0 : 1 / d)) as [number, number, number]
  return chunksThat(chunks, (q, k) => {
    let from = 0,
      to = Infinity
    const x0 = q[k] - distance - ox,
      x1 = q[k + 3] + distance - ox
    if (ix === 0) {
      if (x0 > 0 || x1 < 0) return false
    } else {
      from = Math.max(from, ix > 0 ? x0 * ix : x1 * ix)
      to = ix > 0 ? x1 * ix : x0 * ix
    }
    const y0 = q[k + 1] - distance - oy,
      y1 = q[k + 4] + distance - oy
    if (iy === 0) {
      if (y0 > 0 || y1 < 0) return false
    } else {
      from = Math.max(from, iy > 0 ? y0 * iy : y1 * iy)
      to = Math.min(to, iy > 0 ? y1 * iy : y0 * iy)
    }
    const z0 = q[k + 2] - distance - oz,
      z1 = q[k + 5] + distance - oz
    if (iz === 0) {
      if (z0 > 0 || z1 < 0) return false
    } else {
      from = Math.max(from, iz > 0 ? z0 * iz : z1 * iz)
      to = Math.min(to, iz > 0 ? z1 * iz : z0 * iz)
    }
    return from <= to
  })
}
