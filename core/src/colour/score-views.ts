import { defineKernel } from '../parallel/kernel'
import { eachItem } from '../parallel/items'
import { drawInverseDepth } from '../view/depth-raster'
import { RowCamera } from './camera-rows'

/** Pictures are looked at in so many pixels across when it is asked what hides what. */
const LOOK_PX = 800
/** Seen flatter than this a place says little of its colour. */
const LEAST_COSINE = 0.2
/** Pixels that are kept clear of whatever lies nearer, and of the background. */
export const CLEAR_PX = 2
/** The best score there is; 0: not seen. */
export const BEST_SCORE = 255

export interface ScoreWork {
  readonly positions: Float32Array
  readonly indices: Uint32Array
  readonly normals: Float32Array
  readonly cameras: Float64Array
  readonly count: number
  /** Pixels a mm of the photo that shows a mm largest. */
  readonly finest: number
  /** photos×points: how well each photo shows each point, 0 not at all. */
  readonly scores: Uint8Array
  readonly counter: Int32Array
}

/**
 * How well each photo shows each point: cos² of the angle it is seen under, times how large, squared. Hidden points are
 * found by a depth buffer; those less than a few pixels from something nearer, or from the background, are left to
 * other photos, since a camera is never known better than that.
 */
export const scoreKernel = defineKernel<ScoreWork>('colour.scores', (work, _part, tick) => {
  const buffers = new Map<number, Buffers>()
  eachItem(work.counter, work.count, tick, (photo) => scorePhoto(work, photo, buffers))
})

interface Buffers {
  readonly inverse: Float32Array
  readonly nearest: Float32Array
  readonly row: Float32Array
  readonly u: Float32Array
  readonly v: Float32Array
  readonly w: Float32Array
}

function scorePhoto(work: ScoreWork, photo: number, kept: Map<number, Buffers>): void {
  const { positions: p, indices: t, normals, scores } = work
  const camera = new RowCamera(work.cameras, photo)
  const k = Math.min(1, LOOK_PX / camera.width)
  const width = Math.ceil(camera.width * k),
    height = Math.ceil(camera.height * k)
  const n = p.length / 3
  const b = buffersFor(width * height, n, kept)
  const { inverse, u, v, w } = b
  for (let i = 0; i < n; i++) {
    camera.project(p[i * 3], p[i * 3 + 1], p[i * 3 + 2])
    u[i] = camera.u * k
    v[i] = camera.v * k
    w[i] = camera.depth > 0 ? 1 / camera.depth : 0
  }
  inverse.fill(0)
  for (let f = 0; f < t.length; f += 3) {
    const a = t[f],
      c = t[f + 1],
      d = t[f + 2]
    if (!(w[a] > 0 && w[c] > 0 && w[d] > 0)) continue
    // Both sides hide: a mesh may be open.
    if ((u[c] - u[a]) * (v[d] - v[a]) - (u[d] - u[a]) * (v[c] - v[a]) > 0)
      drawInverseDepth(inverse, width, height, u[a], v[a], w[a], u[c], v[c], w[c], u[d], v[d], w[d])
    else drawInverseDepth(inverse, width, height, u[a], v[a], w[a], u[d], v[d], w[d], u[c], v[c], w[c])
  }
  nearestAround(b, width, height)
  const [ex, ey, ez] = camera.eye
  const at = photo * n
  for (let i = 0; i < n; i++) {
    const x = Math.floor(u[i]),
      y = Math.floor(v[i])
    if (!(w[i] > 0) || x < CLEAR_PX || y < CLEAR_PX || x >= width - CLEAR_PX || y >= height - CLEAR_PX) continue
    const dx = ex - p[i * 3],
      dy = ey - p[i * 3 + 1],
      dz = ez - p[i * 3 + 2]
    const l = Math.sqrt(dx * dx + dy * dy + dz * dz)
    const cosine = (dx * normals[i * 3] + dy * normals[i * 3 + 1] + dz * normals[i * 3 + 2]) / l
    if (cosine < LEAST_COSINE) continue
    const depth = 1 / w[i]
    // As much nearer as the surface's own slope explains over the pixels round it.
    const mm = 1 / (camera.pixelsPerMm(depth) * k)
    const slack = mm * (CLEAR_PX + 1.5) * (Math.sqrt(1 - cosine * cosine) / cosine + 0.5)
    if (1 / b.nearest[y * width + x] < depth - slack) continue
    const size = camera.pixelsPerMm(depth) / work.finest
    scores[at + i] = Math.max(1, Math.min(BEST_SCORE, Math.round(BEST_SCORE * cosine * cosine * size * size)))
  }
}

function buffersFor(pixels: number, points: number, kept: Map<number, Buffers>): Buffers {
  let b = kept.get(pixels)
  if (!b)
    kept.set(
      pixels,
      (b = {
        inverse: new Float32Array(pixels),
        nearest: new Float32Array(pixels),
        row: new Float32Array(pixels),
        u: new Float32Array(points),
        v: new Float32Array(points),
        w: new Float32Array(points),
      }),
    )
  return b
}

/** The nearest of what lies within a few pixels; the background counts as nearest of all. */
function nearestAround({ inverse, nearest, row }: Buffers, width: number, height: number): void {
  for (let y = 0; y < height; y++)
    for (let x = 0; x < width; x++) {
      let most = 0
      for (let i = Math.max(0, x - CLEAR_PX), end = Math.min(width - 1, x + CLEAR_PX); i <= end; i++) {
        const d = inverse[y * width + i]
        if (d === 0) most = Infinity
        else if (d > most) most = d
      }
      row[y * width + x] = most
    }
  for (let y = 0; y < height; y++)
    for (let x = 0; x < width; x++) {
      let most = 0
      for (let i = Math.max(0, y - CLEAR_PX), end = Math.min(height - 1, y + CLEAR_PX); i <= end; i++)
        most = Math.max(most, row[i * width + x])
      nearest[y * width + x] = most
    }
}
