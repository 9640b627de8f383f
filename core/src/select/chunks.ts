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
