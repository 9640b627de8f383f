import type { Camera } from '../view/camera'

/* What a real phone does to its pictures; invented figures of a common size. Values are linear light unless said. */

/** Barrel-shaped, as short lenses are: about 1 % at the corners. */
export const PHONE_LENS: Camera['distortion'] = [-0.024, 0.006, 0.0004, -0.0003, 0]
/** How much of the light is lost in the corners. */
const CORNER_LOSS = 0.35
/** Spread of every edge, pixels of a picture 640 wide. */
const SOFT_PIXELS = 0.6
const SOFT_AT = 640
const DRIFT_STOPS = 0.25
const DRIFT_WHITE = 0.04
/** What its filters mix; each row keeps a grey grey. */
const FILTERS = [
  [0.9, 0.08, 0.02],
  [0.06, 0.89, 0.05],
  [0.01, 0.11, 0.88],
] as const
/** Contrast it adds, on values as they are written. */
const CONTRAST = 0.045

export interface Drift {
  readonly stops: number
  readonly white: readonly [number, number, number]
}

/** Exposure within a quarter of a stop, white within 4 %. */
export function driftOf(random: { gaussian(): number }): Drift {
  const even = (): number => Math.tanh(random.gaussian())
  return { stops: DRIFT_STOPS * even(), white: [1 + DRIFT_WHITE * even(), 1, 1 + DRIFT_WHITE * even()] }
}

/** Darkens the corners as a fourth power of the cosine does, in place. */
export function vignette(rgb: Float32Array, width: number, height: number): void {
  const corner = (width * width + height * height) / 4
  for (let y = 0, i = 0; y < height; y++)
    for (let x = 0; x < width; x++, i += 3) {
      const k = 1 - (CORNER_LOSS * ((x + 0.5 - width / 2) ** 2 + (y + 0.5 - height / 2) ** 2)) / corner
      rgb[i] *= k
      rgb[i + 1] *= k
      rgb[i + 2] *= k
    }
}

/** Filters, then contrast, in place. */
export function throughTone(rgb: Float32Array): void {
  for (let i = 0; i < rgb.length; i += 3) {
    const [r, g, b] = [rgb[i], rgb[i + 1], rgb[i + 2]]
    for (let c = 0; c < 3; c++) {
      const v = Math.min(1, Math.max(0, FILTERS[c][0] * r + FILTERS[c][1] * g + FILTERS[c][2] * b)) ** (1 / 2.2)
      rgb[i + c] = (v - CONTRAST * Math.sin(2 * Math.PI * v)) ** 2.2
    }
  }
}

/** A Gaussian over every pixel, as wide for the piece whatever the picture's width. */
export function soften(rgb: Float32Array, width: number, height: number): Float32Array {
  const sigma = (SOFT_PIXELS * width) / SOFT_AT
  const reach = Math.ceil(2.5 * sigma)
  const weights = Array.from({ length: 2 * reach + 1 }, (_, i) => Math.exp(-((i - reach) ** 2) / (2 * sigma * sigma)))
  const sum = weights.reduce((s, w) => s + w, 0)
  const along = (from: Float32Array, length: number, step: number, lines: number, lineStep: number): Float32Array => {
    const out = new Float32Array(from.length)
    for (let line = 0; line < lines; line++)
      for (let i = 0; i < length; i++)
        for (let k = -reach; k <= reach; k++) {
          const w = weights[k + reach] / sum
          const at = (line * lineStep + Math.min(length - 1, Math.max(0, i + k)) * step) * 3
          const to = (line * lineStep + i * step) * 3
          out[to] += w * from[at]
          out[to + 1] += w * from[at + 1]
          out[to + 2] += w * from[at + 2]
        }
    return out
  }
  return along(along(rgb, width, 1, height, width), height, width, width, 1)
}
