import { checkpoint, type RunContext } from '../context'
import { GeometryError } from '../errors'
import { forEachNeighbourhood } from '../spatial/neighbourhoods'
import { pickPoints, type PointCloud } from '../shapes'
import { estimateFeatures } from './normals'
import { across } from '../linear/across'
import { QuadricFit } from './quadric'
import { thinEvenly } from './thin'

export interface CurvedThinning {
  /** Indices of the points that stay, ascending. */
  readonly kept: Int32Array
  /** How far a facet between kept points stands off the surface at most, by what the curvatures say, mm. */
  readonly predictedLossMm: number
}

const NEIGHBOURS = 30

/**
 * Larger principal curvature of every point by amount, 1/mm, from the quadric through its neighbours. Rims and strays
 * get 0.
 */
export function curvatureOf(cloud: PointCloud, context: RunContext): Float32Array {
  const { positions: p } = cloud
  const n = p.length / 3
  const normals =
    cloud.normals ??
    estimateFeatures(cloud, { ...context, progress: (f, note) => context.progress(f * 0.5, note) }).normals
  const out = new Float32Array(n)
  const quadric = new QuadricFit()
  const basis = new Float64Array(6)
  forEachNeighbourhood(
    p,
    NEIGHBOURS + 1,
    false,
    (i, ids, _d2, found) => {
      const nx = normals[i * 3],
        ny = normals[i * 3 + 1],
        nz = normals[i * 3 + 2]
      across(nx, ny, nz, basis)
      quadric.begin()
      for (let j = 0; j < found; j++) {
        const q = ids[j] * 3
        const dx = p[q] - p[i * 3],
          dy = p[q + 1] - p[i * 3 + 1],
          dz = p[q + 2] - p[i * 3 + 2]
        quadric.add(
          basis[0] * dx + basis[1] * dy + basis[2] * dz,
          basis[3] * dx + basis[4] * dy + basis[5] * dz,
          nx * dx + ny * dy + nz * dz,
        )
      }
      if (quadric.solve()) out[i] = Math.abs(quadric.curvatures()[0])
    },
    (done) => checkpoint(context, n + done, 2 * n, 'Reading the curvature'),
  )
  return out
}

/**
 * Thins where the surface is flat and keeps points where it bends: a chord s over a curvature κ stands off by κs²/8, so
 * each point may stand s = √(8·loss/κ) from the next, between a finest and a coarsest spacing. Spacings go by halves;
 * each class is thinned evenly by itself.
 * @param lossMm how far facets may stand off the surface
 * @throws PARAMS when the coarsest spacing is not larger than the finest, or either is not more than 0
 */
export function thinByCurvature(
  cloud: PointCloud,
  finestMm: number,
  coarsestMm: number,
  lossMm: number,
  context: RunContext,
): CurvedThinning {
  if (!(finestMm > 0) || !(coarsestMm > finestMm))
    throw new GeometryError(
      'PARAMS',
      `The coarse spacing (${coarsestMm} mm) must be larger than the fine one (${finestMm} mm), and both more than 0.`,
    )
  if (!(lossMm > 0)) throw new GeometryError('PARAMS', `The loss must be more than 0 mm, not ${lossMm}.`)
  const curvature = curvatureOf(cloud, context)
  const n = curvature.length
  const classes = Math.max(1, Math.ceil(Math.log2(coarsestMm / finestMm) - 1e-9) + 1)
  const level = new Uint8Array(n)
  const spacingAt = (l: number): number => Math.max(finestMm, coarsestMm / 2 ** l)
  let loss = 0
  for (let i = 0; i < n; i++) {
    const wanted = Math.sqrt((8 * lossMm) / Math.max(curvature[i], 1e-12))
    let l = 0
    while (l < classes - 1 && spacingAt(l) > wanted) l++
    level[i] = l
    loss = Math.max(loss, Math.min((curvature[i] * spacingAt(l) ** 2) / 8, spacingAt(l) / 2))
  }
  const kept: number[] = []
  for (let l = 0; l < classes; l++) {
    const ids = Int32Array.from({ length: n }, (_, i) => i).filter((i) => level[i] === l)
    if (ids.length > 0)
      for (const k of thinEvenly(pickPoints({ kind: 'cloud', positions: cloud.positions }, ids), spacingAt(l)))
        kept.push(ids[k])
  }
  return { kept: Int32Array.from(kept).sort(), predictedLossMm: loss }
}
