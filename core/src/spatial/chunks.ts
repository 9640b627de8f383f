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
}

const CHUNK = 512
const LEAST_SLOPE = 1e-12
/** Steps along an axis of a Morton code. */
const STEPS = 1023

/** Items in the order of their Morton codes (Morton 1966), cut into stretches. The items themselves stay where they are. */
export function chunksOf(positions: Float32Array, size = CHUNK): Chunks {
  const n = positions.length / 3
  const { min, max } = boundsOf(positions)
  const scale = STEPS / Math.max(max[0]! - min[0]!, max[1]! - min[1]!, max[2]! - min[2]!, 1e-9)
  const codes = new Uint32Array(n)
  for (let i = 0, k = 0; i < n; i++, k += 3) codes[i] = spreadBits((positions[k]! - min[0]!) * scale) | (spreadBits((positions[k + 1]! - min[1]!) * scale) << 1) | (spreadBits((positions[k + 2]! - min[2]!) * scale) << 2)
  const order = radixOrder(codes)
  const boxes = new Float32Array(Math.ceil(n / size) * 6)
  const ordered = new Float32Array(n * 3)
  for (let c = 0; c * 6 < boxes.length; c++) {
    let x0 = Infinity, y0 = Infinity, z0 = Infinity, x1 = -Infinity, y1 = -Infinity, z1 = -Infinity
    for (let s = c * size, e = Math.min(n, (c + 1) * size); s < e; s++) {
      const k = order[s]! * 3
      const x = (ordered[s * 3] = positions[k]!), y = (ordered[s * 3 + 1] = positions[k + 1]!), z = (ordered[s * 3 + 2] = positions[k + 2]!)
      if (x < x0) x0 = x
      if (x > x1) x1 = x
      if (y < y0) y0 = y
      if (y > y1) y1 = y
      if (z < z0) z0 = z
      if (z > z1) z1 = z
    }
    boxes.set([x0, y0, z0, x1, y1, z1], c * 6)
  }
  return { size, order, positions: ordered, boxes }
}

/** Whether a chunk's box comes nearer than a distance to a stretch from a to b (a point when they are the same). */
export function near(chunks: Chunks, c: number, a: ArrayLike<number>, b: ArrayLike<number>, distance: number): boolean {
  for (let axis = 0; axis < 3; axis++) {
    const low = Math.min(a[axis]!, b[axis]!) - distance, high = Math.max(a[axis]!, b[axis]!) + distance
    if (chunks.boxes[c * 6 + axis]! > high || chunks.boxes[c * 6 + 3 + axis]! < low) return false
  }
  return true
}

/** Chunks whose boxes, grown by a distance, a ray meets: what it may come nearer to than that (slabs, Kay and Kajiya 1986). */
export function chunksAlong({ boxes }: Chunks, origin: readonly number[], direction: readonly number[], distance: number): number[] {
  const out: number[] = []
  // Across an axis the ray goes along there is nothing to divide by: it lies in the slab or it does not.
  const along = [0, 1, 2].filter((axis) => Math.abs(direction[axis]!) >= LEAST_SLOPE), across = [0, 1, 2].filter((axis) => !along.includes(axis))
  const inverse = direction.map((d) => 1 / d)
  for (let b = 0, c = 0; b < boxes.length; b += 6, c++) {
    let from = 0, to = Infinity
    for (const axis of across) if (boxes[b + axis]! - distance > origin[axis]! || boxes[b + 3 + axis]! + distance < origin[axis]!) to = -1
    for (const axis of along) {
      const p = (boxes[b + axis]! - distance - origin[axis]!) * inverse[axis]!, q = (boxes[b + 3 + axis]! + distance - origin[axis]!) * inverse[axis]!
      from = Math.max(from, Math.min(p, q))
      to = Math.min(to, Math.max(p, q))
      if (from > to) break
    }
    if (from <= to) out.push(c)
  }
  return out
}
