import { emptyBits, setBit } from './bits'
import { polygonMask, type View } from './view'

/** Points, or faces by their middles. */
export interface Items {
  readonly positions: Float32Array
  readonly normals?: Float32Array
  /** false: which side of the surface a normal points to is not known. @defaultValue true */
  readonly oriented?: boolean
}

/**
 * The pixel of the stage each item lies on, row by row from the top; width × height for what lies beside the stage or
 * behind the eye. Known from when a hand begins to draw, so that only the outline is asked when it lets go.
 */
export function pixelsOf({ positions: p }: Items, { matrix, width, height }: View): Uint32Array {
  const n = p.length / 3
  const pixels = new Uint32Array(n)
  const [m0, m1, m2, m3, m4, m5, m6, m7, , , , , m12, m13, m14, m15] = Array.from(matrix) as [
    number,
    number,
    number,
    number,
    number,
    number,
    number,
    number,
    number,
    number,
    number,
    number,
    number,
    number,
    number,
    number,
  ]
  const halfW = width / 2,
    halfH = height / 2,
    nowhere = width * height
  for (let i = 0, k = 0; i < n; i++, k += 3) {
    const x = p[k],
      y = p[k + 1],
      z = p[k + 2]
    const w = m12 * x + m13 * y + m14 * z + m15
    const u = ((m0 * x + m1 * y + m2 * z + m3) / w + 1) * halfW,
      v = (1 - (m4 * x + m5 * y + m6 * z + m7) / w) * halfH
    pixels[i] = w > 0 && u >= 0 && u < width && v >= 0 && v < height ? (v | 0) * width + (u | 0) : nowhere
  }
  return pixels
}

/**
 * Items whose pixel lies inside a polygon: all of them, or only those that show.
 * @param pixels of the items, see `pixelsOf` @param polygon x, y, x, y … in pixels of the stage
 * @param shows a set of the items that nothing hides, see `frontOf`; null for all
 * @returns a set, one bit an item @throws as `polygonMask`
 */
export function selectInPolygon(
  pixels: Uint32Array,
  stage: Pick<View, 'width' | 'height'>,
  polygon: ArrayLike<number>,
  shows: Uint8Array | null,
): Uint8Array {
  const n = pixels.length
  const bits = emptyBits(n)
  const mask = polygonMask(polygon, stage)
  const inside = new Uint8Array(stage.width * stage.height + 1)
  for (let y = 0; y < mask.height; y++)
    inside.set(mask.inside.subarray(y * mask.width, (y + 1) * mask.width), (mask.top + y) * stage.width + mask.left)
  const whole = n & ~7
  for (let i = 0; i < whole; i += 8) {
    bits[i >> 3] =
      inside[pixels[i]] |
      (inside[pixels[i + 1]] << 1) |
      (inside[pixels[i + 2]] << 2) |
      (inside[pixels[i + 3]] << 3) |
      (inside[pixels[i + 4]] << 4) |
      (inside[pixels[i + 5]] << 5) |
      (inside[pixels[i + 6]] << 6) |
      (inside[pixels[i + 7]] << 7)
  }
  for (let i = whole; i < n; i++) if (inside[pixels[i]] === 1) setBit(bits, i)
  if (shows) for (let b = 0; b < bits.length; b++) bits[b] &= shows[b]
  return bits
}
