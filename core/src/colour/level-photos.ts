import { solveCholesky } from '../linear/cholesky'
import { SHADING_TERMS, shadingTerms } from './shading'

/** What photos show of points of a surface, point by point: readings of point i are first[i] … first[i + 1] − 1. */
export interface Readings {
  readonly first: Int32Array
  readonly photo: Uint16Array
  /** n×3: the direction the surface faces, in the photo's axes. */
  readonly facing: Float32Array
  /** n×3: linear light. */
  readonly light: Float32Array
  /** n: how well the photo shows the place, over 0. */
  readonly weight: Float32Array
}

export interface Levelled {
  /** photos×3: logarithm of what a photo's exposure and white multiply by. */
  readonly gains: Float64Array
  /** 3×SHADING_TERMS: logarithm of the light by direction. */
  readonly shading: Float64Array
  /** Spread of the readings of one place, as a share of the light: 1.4826 times the median of what two differ by, over √2; of green. */
  readonly spread: number
  readonly readings: number
}

/** Light below this is a sensor's noise. */
const DARK = 0.004
/** Beyond this a reading is a highlight, a shadow or something else: log of green (Beaton and Tukey 1974). */
const FIRST_LIMIT = 0.5
const LIMIT = 0.12
const ROUNDS = 8
/** How far exposures and whites differ, and how strong light from one side is: only what nothing tells is held. */
const GAIN_SIGMA = 0.5
const SHADING_SIGMA = 1
/** What a reading is sure to, as a share of its light. */
const READING_SIGMA = 0.03

/**
 * Exposure and white of each photo, and the light that stays with the camera, together: log(light) = surface + gain +
 * shading(direction in the camera's axes). The surface's own colour is taken out point by point, so that what is left is
 * small and dense; readings that fit nothing lose their weight by and by. Gains alone would take the light for them.
 * Without points that are seen from several sides nothing is told of it, and the priors keep it at naught.
 */
export function levelPhotos(readings: Readings, photos: number): Levelled {
  const n = readings.photo.length
  const unknowns = photos + SHADING_TERMS
  const terms = new Float64Array(n * SHADING_TERMS)
  for (let r = 0; r < n; r++)
    shadingTerms(
      readings.facing[r * 3],
      readings.facing[r * 3 + 1],
      readings.facing[r * 3 + 2],
      terms,
      r * SHADING_TERMS,
    )
  const logs = Float64Array.from(readings.light, (v) => Math.log(v + DARK))
  const found = [0, 1, 2].map(() => new Float64Array(unknowns))
  const weights = new Float64Array(n)
  let spread = 0
  for (let round = 0; round < ROUNDS; round++) {
    const limit = Math.max(LIMIT, FIRST_LIMIT * 0.6 ** round)
    spread = reweigh(readings, terms, logs, found[1], weights, round === 0 ? Infinity : limit)
    solveChannels(readings, terms, logs, weights, photos, found)
  }
  const gains = new Float64Array(photos * 3),
    shading = new Float64Array(3 * SHADING_TERMS)
  found.forEach((x, c) => {
    for (let p = 0; p < photos; p++) gains[p * 3 + c] = x[p]
    shading.set(x.subarray(photos), c * SHADING_TERMS)
  })
  return { gains, shading, spread, readings: n }
}

const told = (x: Float64Array, readings: Readings, terms: Float64Array, r: number, photos: number): number => {
  let sum = x[readings.photo[r]]
  for (let k = 0; k < SHADING_TERMS; k++) sum += x[photos + k] * terms[r * SHADING_TERMS + k]
  return sum
}

/** Tukey's weights of the green readings about each point's median. @returns their spread */
function reweigh(
  readings: Readings,
  terms: Float64Array,
  logs: Float64Array,
  x: Float64Array,
  weights: Float64Array,
  limit: number,
): number {
  const { first, light, weight } = readings
  const photos = x.length - SHADING_TERMS
  const about: number[] = []
  const off: number[] = []
  for (let i = 0; i + 1 < first.length; i++) {
    about.length = 0
    for (let r = first[i]; r < first[i + 1]; r++) about.push(logs[r * 3 + 1] - told(x, readings, terms, r, photos))
    const middle = about.slice().sort((a, b) => a - b)[about.length >> 1]
    about.forEach((a, k) => {
      const r = first[i] + k
      const d = (a - middle) / limit
      // Of two readings one would be the median itself: neighbours in the list tell how far photos lie apart.
      if (k > 0) off.push(Math.abs(a - about[k - 1]) / Math.SQRT2)
      const g = light[r * 3 + 1]
      // The dark is told worse.
      weights[r] = Math.abs(d) < 1 ? weight[r] * (1 - d * d) ** 2 * (g / (g + 5 * DARK)) : 0
    })
  }
  off.sort((a, b) => a - b)
  return 1.4826 * (off[off.length >> 1] ?? 0)
}

/** Solves all three channels, whose readings have the same weights. @param found three times gains and shading */
function solveChannels(
  { first, photo }: Readings,
  terms: Float64Array,
  logs: Float64Array,
  weights: Float64Array,
  photos: number,
  found: readonly Float64Array[],
): void {
  const T = SHADING_TERMS,
    n = photos + T
  const a = new Float64Array(n * n)
  const sides = found.map(() => new Float64Array(n))
  const mean = new Float64Array(T),
    about = new Float64Array(T),
    value = new Float64Array(3)
  for (let i = 0; i + 1 < first.length; i++) {
    let sum = 0
    mean.fill(0)
    value.fill(0)
    for (let r = first[i]; r < first[i + 1]; r++) {
      const w = weights[r]
      sum += w
      for (let c = 0; c < 3; c++) value[c] += w * logs[r * 3 + c]
      for (let k = 0; k < T; k++) mean[k] += w * terms[r * T + k]
    }
    if (!(sum > 0)) continue
    for (let c = 0; c < 3; c++) value[c] /= sum
    for (let k = 0; k < T; k++) mean[k] /= sum
    for (let r = first[i]; r < first[i + 1]; r++) {
      const w = weights[r]
      if (w === 0) continue
      const p = photo[r]
      for (let k = 0; k < T; k++) about[k] = terms[r * T + k] - mean[k]
      a[p * n + p] += w
      for (let k = 0; k < T; k++) {
        const wt = w * about[k],
          row = (photos + k) * n
        a[row + p] += wt
        for (let l = 0; l <= k; l++) a[row + photos + l] += wt * about[l]
      }
      for (let c = 0; c < 3; c++) {
        const y = w * (logs[r * 3 + c] - value[c])
        sides[c][p] += y
        for (let k = 0; k < T; k++) sides[c][photos + k] += y * about[k]
      }
      // What the point's own colour takes of the gains.
      for (let q = first[i]; q < first[i + 1]; q++) a[p * n + photo[q]] -= (w * weights[q]) / sum
    }
  }
  for (let p = 0; p < n; p++) {
    a[p * n + p] += (READING_SIGMA / (p < photos ? GAIN_SIGMA : SHADING_SIGMA)) ** 2
    for (let q = Math.max(p + 1, photos); q < n; q++) a[p * n + q] = a[q * n + p]
  }
  sides.forEach((b, c) => solveCholesky(a, b, found[c], n))
}
