import type { Mask, View } from './view'

/** Boxes over stretches of consecutive items. Takes come frame by frame, so that neighbours in memory are mostly neighbours in space. */
export interface Chunks {
  readonly size: number
  /** Six a chunk: least x, y, z, greatest x, y, z. */
  readonly boxes: Float32Array
}

const CHUNK = 4096

export function chunksOf(positions: Float32Array, size = CHUNK): Chunks {
  const n = positions.length / 3
  const count = Math.ceil(n / size)
  const boxes = new Float32Array(count * 6)
  for (let c = 0; c < count; c++) {
    let x0 = Infinity, y0 = Infinity, z0 = Infinity, x1 = -Infinity, y1 = -Infinity, z1 = -Infinity
    for (let k = c * size * 3, e = Math.min(n, (c + 1) * size) * 3; k < e; k += 3) {
      const x = positions[k]!, y = positions[k + 1]!, z = positions[k + 2]!
      if (x < x0) x0 = x
      if (x > x1) x1 = x
      if (y < y0) y0 = y
      if (y > y1) y1 = y
      if (z < z0) z0 = z
      if (z > z1) z1 = z
    }
    boxes.set([x0, y0, z0, x1, y1, z1], c * 6)
  }
  return { size, boxes }
}

/** Whether a chunk's box comes nearer than a distance to a stretch from a to b (a point when they are the same). */
export function near(chunks: Chunks, c: number, a: ArrayLike<number>, b: ArrayLike<number>, distance: number): boolean {
  for (let axis = 0; axis < 3; axis++) {
    const low = Math.min(a[axis]!, b[axis]!) - distance, high = Math.max(a[axis]!, b[axis]!) + distance
    if (chunks.boxes[c * 6 + axis]! > high || chunks.boxes[c * 6 + 3 + axis]! < low) return false
  }
  return true
}

/** Whether a chunk's box lies wholly beside the mask. Boxes that reach behind the eye are never skipped. */
export function outside(chunks: Chunks, c: number, view: View, mask: Omit<Mask, 'inside'>): boolean {
  const { matrix: m } = view
  let minU = Infinity, maxU = -Infinity, minV = Infinity, maxV = -Infinity
  for (let corner = 0; corner < 8; corner++) {
    const x = chunks.boxes[c * 6 + (corner & 1 ? 3 : 0)]!, y = chunks.boxes[c * 6 + (corner & 2 ? 4 : 1)]!, z = chunks.boxes[c * 6 + (corner & 4 ? 5 : 2)]!
    const w = m[12]! * x + m[13]! * y + m[14]! * z + m[15]!
    if (!(w > 0)) return false
    const u = ((m[0]! * x + m[1]! * y + m[2]! * z + m[3]!) / w + 1) * (view.width / 2), v = (1 - (m[4]! * x + m[5]! * y + m[6]! * z + m[7]!) / w) * (view.height / 2)
    minU = Math.min(minU, u)
    maxU = Math.max(maxU, u)
    minV = Math.min(minV, v)
    maxV = Math.max(maxV, v)
  }
  return maxU < mask.left || minU >= mask.left + mask.width || maxV < mask.top || minV >= mask.top + mask.height
}
