import type { Pixels } from '../pictures'

/** A photo as floating numbers that can be read between its pixels; three channels of bytes as they are written. */
export interface Level {
  readonly width: number
  readonly height: number
  readonly rgb: Float32Array
}

/** A photo, then in halves of its size, as long as so many pixels across are left. */
export function levelsOf({ width, height, rgb }: Pixels, most: number, leastPx: number): Level[] {
  const out: Level[] = [soften({ width, height, rgb: Float32Array.from(rgb) })]
  while (out.length < most && out[out.length - 1].width >= 2 * leastPx) out.push(halved(out[out.length - 1]))
  return out
}

/** Means of four pixels. */
function halved({ width, height, rgb }: Level): Level {
  const w = width >> 1,
    h = height >> 1
  const out = new Float32Array(w * h * 3)
  for (let y = 0; y < h; y++)
    for (let x = 0; x < w; x++)
      for (let c = 0; c < 3; c++) {
        const i = (2 * y * width + 2 * x) * 3 + c
        out[(y * w + x) * 3 + c] = (rgb[i] + rgb[i + 3] + rgb[i + width * 3] + rgb[i + width * 3 + 3]) / 4
      }
  return { width: w, height: h, rgb: out }
}

/** A binomial of three by three: noise of single pixels makes no edges. */
function soften({ width, height, rgb }: Level): Level {
  const across = new Float32Array(rgb.length)
  const out = new Float32Array(rgb.length)
  const row = width * 3
  for (let y = 0; y < height; y++)
    for (let i = 0; i < row; i++) {
      const at = y * row + i
      const left = i < 3 ? at : at - 3,
        right = i >= row - 3 ? at : at + 3
      across[at] = (rgb[left] + 2 * rgb[at] + rgb[right]) / 4
    }
  for (let y = 0; y < height; y++)
    for (let i = 0; i < row; i++) {
      const at = y * row + i
      const above = y === 0 ? at : at - row,
        below = y === height - 1 ? at : at + row
      out[at] = (across[above] + 2 * across[at] + across[below]) / 4
    }
  return { width, height, rgb: out }
}

/** Colour at a place, the middle of the first pixel being 0.5, 0.5; false outside. @param out three numbers from `at` */
export function readLevel({ width, height, rgb }: Level, u: number, v: number, out: Float64Array, at: number): boolean {
  const x = u - 0.5,
    y = v - 0.5
  if (!(x >= 0 && y >= 0 && x < width - 1 && y < height - 1)) return false
  const x0 = Math.floor(x),
    y0 = Math.floor(y)
  const fx = x - x0,
    fy = y - y0
  const i = (y0 * width + x0) * 3,
    j = i + width * 3
  for (let c = 0; c < 3; c++)
    out[at + c] =
      (1 - fy) * ((1 - fx) * rgb[i + c] + fx * rgb[i + 3 + c]) + fy * ((1 - fx) * rgb[j + c] + fx * rgb[j + 3 + c])
  return true
}
