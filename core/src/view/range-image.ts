import { lookAxes } from './look-axes'

/** Fewer points make no picture. */
const MIN_POINTS = 50
/** Of the nine pixels about a place, so many must hold points: an outline may run anywhere through the others. */
const MIN_OF_NINE = 7

/**
 * What was seen from one place, as a small picture of depths made of the points themselves: what stands in front of it
 * was free space (Curless and Levoy 1996, "A volumetric method for building complex models from range images", section
 * 4). Positions in mm.
 */
export class RangeImage {
  /**
   * @param camera rows right, up, ahead (9), origin (3), lower left corner as tangents (2), pixels per unit of tangent,
   *   columns, rows
   * @param depth nearest depth about each pixel; Infinity where nothing is known
   */
  constructor(
    readonly camera: Float64Array,
    readonly depth: Float32Array,
  ) {}

  /**
   * @param points seen from the origin
   * @param pixelOf tangent of a pixel, from the number of points, the extent of the picture and the distance
   * @returns null of too few points, or when one lies behind the origin
   */
  static of(
    points: Float32Array,
    origin: ArrayLike<number>,
    pixelOf: (n: number, width: number, height: number, farMm: number) => number,
  ): RangeImage | null {
    const n = points.length / 3
    if (n < MIN_POINTS) return null
    let cx = 0,
      cy = 0,
      cz = 0
    for (let i = 0; i < points.length; i += 3) {
      cx += points[i] / n
      cy += points[i + 1] / n
      cz += points[i + 2] / n
    }
    const ahead = [cx - origin[0], cy - origin[1], cz - origin[2]] as const
    const axes = lookAxes(...ahead)
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
      const depth = x * axes[6] + y * axes[7] + z * axes[8]
      if (depth <= 0) return null
      d[i] = depth
      u[i] = (x * axes[0] + y * axes[1] + z * axes[2]) / depth
      v[i] = (x * axes[3] + y * axes[4] + z * axes[5]) / depth
      minU = Math.min(minU, u[i])
      maxU = Math.max(maxU, u[i])
      minV = Math.min(minV, v[i])
      maxV = Math.max(maxV, v[i])
    }
    const pixel = Math.max(pixelOf(n, maxU - minU, maxV - minV, Math.hypot(...ahead)), 1e-9)
    const columns = Math.floor((maxU - minU) / pixel) + 1,
      rows = Math.floor((maxV - minV) / pixel) + 1
    const first = new Float32Array(columns * rows).fill(Infinity)
    for (let i = 0; i < n; i++) {
      const at = Math.floor((v[i] - minV) / pixel) * columns + Math.floor((u[i] - minU) / pixel)
      if (d[i] < first[at]) first[at] = d[i]
    }
    const camera = new Float64Array(17)
    camera.set(axes)
    camera.set([origin[0], origin[1], origin[2], minU, minV, 1 / pixel, columns, rows], 9)
    return new RangeImage(camera, nearestAbout(first, columns, rows))
  }

  /** How far a place stands in front of what was seen in its direction, mm; −Infinity where nothing is known. */
  inFrontMm(px: number, py: number, pz: number): number {
    const c = this.camera
    const x = px - c[9],
      y = py - c[10],
      z = pz - c[11]
    const depth = x * c[6] + y * c[7] + z * c[8]
    if (depth <= 0) return -Infinity
    const u = Math.floor(((x * c[0] + y * c[1] + z * c[2]) / depth - c[12]) * c[14])
    const v = Math.floor(((x * c[3] + y * c[4] + z * c[5]) / depth - c[13]) * c[14])
    if (u < 0 || v < 0 || u >= c[15] || v >= c[16]) return -Infinity
    const seen = this.depth[v * c[15] + u]
    return seen === Infinity ? -Infinity : seen - depth
  }
}

/** Nearest of 3×3; the rim of the picture says nothing. */
function nearestAbout(first: Float32Array, columns: number, rows: number): Float32Array {
  const depth = new Float32Array(columns * rows).fill(Infinity)
  for (let r = 1; r < rows - 1; r++)
    for (let c = 1; c < columns - 1; c++) {
      let nearest = Infinity,
        seen = 0
      for (let dr = -1; dr <= 1; dr++)
        for (let dc = -1; dc <= 1; dc++) {
          const w = first[(r + dr) * columns + c + dc]
          if (w === Infinity) continue
          seen++
          if (w < nearest) nearest = w
        }
      if (seen >= MIN_OF_NINE) depth[r * columns + c] = nearest
    }
  return depth
}
