import { checkpoint, type RunContext } from '../context'
import { GeometryError } from '../errors'
import { forEachNeighbourhood } from '../spatial/neighbourhoods'
import type { PointCloud } from '../shapes'
import { estimateFeatures } from './normals'
import { across } from '../linear/across'
import { QuadricFit } from './quadric'

export interface SmoothOptions {
  /** No point is moved farther, mm. */
  readonly capMm: number
  /** Neighbours that speak for a point. @defaultValue 30 */
  readonly neighbours?: number
}

export interface Smoothed {
  readonly positions: Float32Array
  readonly rmsMm: number
  readonly maxMm: number
  /** Points that the cap held back. */
  readonly capped: number
}

export const SMOOTH_DEFAULTS = { neighbours: 30 } as const

/**
 * Heights off the patch's plane count by this many of the cloud's scatters, so that an edge's other side does not pull.
 */
const HEIGHT_SCATTERS = 3
const MIN_NEIGHBOURS = 8
/** Normals that turn away count by the cosine to this power. */
const NORMAL_POWER = 8

/**
 * Moves every point along its normal onto the quadric through its neighbours (moving least squares: Alexa et al. 2003,
 * "Computing and rendering point set surfaces"), each weighted by distance (Gaussian, half the reach), by height off
 * the point's plane and by how far its normal turns away (bilateral: Fleishman, Drori, Cohen-Or 2003), so that edges
 * stay. Nothing moves farther than the cap; normals, colours and the rest stay as they are.
 * @throws PARAMS for a cap that is not more than 0
 */
export function smoothPoints(cloud: PointCloud, options: SmoothOptions, context: RunContext): Smoothed {
  if (!(options.capMm > 0)) throw new GeometryError('PARAMS', `The cap must be more than 0 mm, not ${options.capMm}.`)
  const { positions: p } = cloud
  const n = p.length / 3
  const k = (options.neighbours ?? SMOOTH_DEFAULTS.neighbours) + 1
  const features = estimateFeatures(cloud, { ...context, progress: (f, note) => context.progress(f * 0.5, note) })
  const normals = cloud.normals ?? features.normals
  const scatter = Math.max(features.noiseMm, features.spacingMm * 1e-3)
  const out = p.slice()
  const quadric = new QuadricFit()
  const basis = new Float64Array(6)
  let sum = 0,
    max = 0,
    capped = 0
  forEachNeighbourhood(
    p,
    k,
    false,
    (i, ids, d2, found) => {
      if (found < MIN_NEIGHBOURS) return
      const nx = normals[i * 3],
        ny = normals[i * 3 + 1],
        nz = normals[i * 3 + 2]
      const x = p[i * 3],
        y = p[i * 3 + 1],
        z = p[i * 3 + 2]
      let reach2 = 0
      for (let j = 0; j < found; j++) if (d2[j] > reach2) reach2 = d2[j]!
      across(nx, ny, nz, basis)
      quadric.begin()
      for (let j = 0; j < found; j++) {
        const q = ids[j] * 3
        const dx = p[q] - x,
          dy = p[q + 1] - y,
          dz = p[q + 2] - z
        const h = nx * dx + ny * dy + nz * dz
        const turn = nx * normals[q] + ny * normals[q + 1] + nz * normals[q + 2]
        // What bends by itself within the reach is no noise: the height is weighed beyond what the neighbours' normals
        // explain.
        const own = 0.5 * (h + (normals[q] * dx + normals[q + 1] * dy + normals[q + 2] * dz))
        const w =
          Math.exp((-2 * d2[j]) / reach2 - (own * own) / (2 * (HEIGHT_SCATTERS * scatter) ** 2)) *
          Math.max(0, turn) ** NORMAL_POWER
        if (w > 1e-4)
          quadric.add(
            basis[0] * dx + basis[1] * dy + basis[2] * dz,
            basis[3] * dx + basis[4] * dy + basis[5] * dz,
            h,
            w,
          )
      }
      if (quadric.count < MIN_NEIGHBOURS || !quadric.solve()) return
      const wanted = quadric.c[0]
      const moved = Math.max(-options.capMm, Math.min(options.capMm, wanted))
      if (moved !== wanted) capped++
      out[i * 3] = x + moved * nx
      out[i * 3 + 1] = y + moved * ny
      out[i * 3 + 2] = z + moved * nz
      sum += moved * moved
      max = Math.max(max, Math.abs(moved))
    },
    (done) => checkpoint(context, n + done, 2 * n, 'Smoothing'),
  )
  return { positions: out, rmsMm: Math.sqrt(sum / n), maxMm: max, capped }
}
