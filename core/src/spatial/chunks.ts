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
  const [ox, oy, oz] = origin as [number, number, number]
  // A direction along an axis divides to infinity, which the comparisons bear; nothing divides to NaN but a face right on the ray.
  const ix = 1 / direction[0]!, iy = 1 / direction[1]!, iz = 1 / direction[2]!
  const out: number[] = []
  for (let b = 0, c = 0; b < boxes.length; b += 6, c++) {
    const x0 = (boxes[b]! - distance - ox) * ix, x1 = (boxes[b + 3]! + distance - ox) * ix
    let from = Math.min(x0, x1), to = Math.max(x0, x1)
    if (to < 0) continue
    const y0 = (boxes[b + 1]! - distance - oy) * iy, y1 = (boxes[b + 4]! + distance - oy) * iy
    from = Math.max(from, Math.min(y0, y1))
    to = Math.min(to, Math.max(y0, y1))
    if (from > to) continue
    const z0 = (boxes[b + 2]! - distance - oz) * iz, z1 = (boxes[b + 5]! + distance - oz) * iz
    from = Math.max(from, Math.min(z0, z1))
    to = Math.min(to, Math.max(z0, z1))
    if (from <= to && to >= 0) out.push(c)
  }
  return out
}
