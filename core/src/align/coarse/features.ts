import { EigenvalueDecomposition, Matrix } from 'ml-matrix'
import { checkpoint, type RunContext } from '../../context'
import { eachItem, itemCounter } from '../../parallel/items'
import { defineKernel } from '../../parallel/kernel'
import { inShared, allocate } from '../../parallel/allocate'
import { isShared, runShared } from '../../parallel/share'
import type { PointCloud } from '../../shapes'
import { downsampledCloud, type DownsampledCloud } from './downsampled-cloud'
import { fpfh, FPFH_LENGTH } from './fpfh'
import { guessLook } from '../../view/guess-look'
import { seenSpaceOf, type SeenSpace } from '../../view/seen-space'
import { TONE_BINS, toneHistograms } from './tone-histograms'
import { tonesOf, type Tones } from '../colour/tones'
import { CellIndex } from '../../spatial/cell-index'
import type { OrientedCloud } from '../oriented-cloud'

/** A take as coarse matching sees it. */
export interface TakeFeatures {
  readonly outline: DownsampledCloud
  readonly seen: SeenSpace
  /** n×DIMENSIONS. */
  readonly features: Float32Array
  /** Places worth asking about: off the rim, spread over the take, the most telling first. */
  readonly queries: Int32Array
  /** Of coloured takes where colours count: their tones, which are then part of the features. */
  readonly tones?: Tones | null
}

/** Of the piece's size: grain of coarse matching. */
const VOXEL_SHARE = 0.013
/** Radii of the two neighbourhoods, in voxels. */
const RADII = [5, 9] as const
const SHAPE_WIDTH = FPFH_LENGTH * RADII.length
const NOTE = 'Describing the surfaces'
/** Principal components kept: nearly all of the variance. */
export const DIMENSIONS = 20
const MAX_CELLS = 3500
const MAX_QUERIES = 400
/** Pixels of the depth pictures. */
const PIXEL_VOXELS = 0.5
export const PIXEL_SPACINGS = 2.2
/** Of a take's frames about so many see any one place. */
const FRAMES_ON_A_PLACE = 3

/** Grain of coarse matching for these takes, mm: a share of their size, not finer than their points. */
export const coarseVoxelMm = (takes: readonly OrientedCloud[]): number => {
  const sizes = takes.map((t) => t.sizeMm).sort((a, b) => a - b)
  const spacings = takes.map((t) => t.features.spacingMm)
  const fine = Math.max(VOXEL_SHARE * sizes[sizes.length >> 1], 1.2 * Math.max(...spacings))
  // A piece with much surface for its size (hollow ones) is looked at more coarsely, so that it takes no longer.
  const cells = takes.map((t) => new CellIndex(t.positions, fine).count).sort((a, b) => a - b)[takes.length >> 1]
  return fine * Math.sqrt(Math.max(1, cells / MAX_CELLS))
}

/** Frames of a take share its points among them, so that one frame's stand farther apart. */
export function frameSpacing(take: OrientedCloud, cloud: PointCloud): number {
  const frames = (cloud.frameOrigins?.length ?? 3) / 3
  return take.features.spacingMm * Math.sqrt(Math.max(1, frames / FRAMES_ON_A_PLACE))
}

/**
 * Describes all takes of a join in one basis: by shape, and by how tones differ round each place where colours count
 * and all takes have them.
 */
export async function featuresOfTakes(
  takes: readonly OrientedCloud[],
  clouds: readonly PointCloud[],
  voxelMm: number,
  context: RunContext,
  colours = false,
): Promise<TakeFeatures[]> {
  const outlines = takes.map((t) => downsampledCloud(t.positions, t.features.normals, t.features.boundary, voxelMm))
  const tones = outlines.map((o, i) => (colours ? tonesOf(clouds[i], o) : null))
  const shapes = await histogramsOf(outlines, context)
  const painted = tones.every((t) => t !== null)
  const raw = painted
    ? shapes.map((rows, i) =>
        sideBySide(rows, toneHistograms(outlines[i], tones[i].tone, RADII), outlines[i].rim.length),
      )
    : shapes
  const project = principal(raw, SHAPE_WIDTH + (painted ? TONE_BINS * RADII.length : 0))
  return outlines.map((outline, i) => {
    const features = project(raw[i])
    return {
      outline,
      features,
      tones: tones[i]!,
      seen: seenSpaceOf(
        clouds[i],
        Math.max(PIXEL_VOXELS * voxelMm, PIXEL_SPACINGS * frameSpacing(takes[i], clouds[i])),
      ),
      queries: queriesOf(outline, features),
    }
  })
}

/**
 * Takes as they are placed: where nobody says from where one was taken and it can be one look only, from where its
 * normals tell. That finds places; no verdict on them rests on it.
 */
export const withGuessedLooks = (
  described: readonly TakeFeatures[],
  takes: readonly OrientedCloud[],
): readonly TakeFeatures[] =>
  described.map((d, i) => {
    if (d.seen.images.length > 0) return d
    const { positions, features } = takes[i]
    const eye = guessLook(positions, features.normals)
    if (!eye) return d
    const cloud: PointCloud = {
      kind: 'cloud',
      positions,
      frame: new Uint16Array(positions.length / 3),
      frameOrigins: Float64Array.from(eye),
    }
    return { ...d, seen: seenSpaceOf(cloud, d.seen.pixelMm) }
  })

/** Feature histograms of every outline; several outlines at a time where there are threads. */
async function histogramsOf(outlines: readonly DownsampledCloud[], context: RunContext): Promise<Float32Array[]> {
  const n = outlines.length
  if (!isShared(context, n, 2))
    return outlines.map((o, i) => {
      checkpoint(context, i, n, NOTE)
      return fpfh(o, RADII)
    })
  const clouds = outlines.map(({ points, normals, voxelMm }): Histograms => ({
    ...inShared({ points, normals, voxelMm }),
    histograms: allocate(Float32Array, (points.length / 3) * FPFH_LENGTH * RADII.length, true),
  }))
  await runShared(histogramsKernel, { counter: itemCounter(true), clouds }, n, context, NOTE)
  return clouds.map((c) => c.histograms)
}

/** A cloud, and where its histograms are written. */
interface Histograms extends Pick<DownsampledCloud, 'points' | 'normals' | 'voxelMm'> {
  readonly histograms: Float32Array
}

const histogramsKernel = defineKernel(
  'histograms',
  ({ counter, clouds }: { counter: Int32Array; clouds: readonly Histograms[] }, _part, tick) => {
    eachItem(counter, clouds.length, tick, (t) => clouds[t].histograms.set(fpfh(clouds[t], RADII)))
  },
)

/** Rows of two tables after each other. */
function sideBySide(a: Float32Array, b: Float32Array, rows: number): Float32Array {
  const wa = a.length / rows,
    wb = b.length / rows
  const out = new Float32Array(a.length + b.length)
  for (let r = 0; r < rows; r++) {
    out.set(a.subarray(r * wa, (r + 1) * wa), r * (wa + wb))
    out.set(b.subarray(r * wb, (r + 1) * wb), r * (wa + wb) + wa)
  }
  return out
}

/** Projection on the principal components of all histograms together. */
function principal(raw: readonly Float32Array[], width: number): (rows: Float32Array) => Float32Array {
  const mean = new Float64Array(width),
    second = new Float64Array(width * width)
  let n = 0
  for (const rows of raw)
    for (let r = 0; r < rows.length; r += width * 3) {
      n++
      for (let a = 0; a < width; a++) mean[a] += rows[r + a]
      for (let a = 0; a < width; a++) {
        const v = rows[r + a]
        if (v !== 0) for (let b = 0; b <= a; b++) second[a * width + b] += v * rows[r + b]
      }
    }
  for (let a = 0; a < width; a++) mean[a] /= n
  const covariance = new Matrix(width, width)
  for (let a = 0; a < width; a++)
    for (let b = 0; b <= a; b++) {
      const c = second[a * width + b] / n - mean[a] * mean[b]
      covariance.set(a, b, c)
      covariance.set(b, a, c)
    }
  const evd = new EigenvalueDecomposition(covariance, { assumeSymmetric: true })
  const order = evd.realEigenvalues
    .map((value, i) => ({ value, i }))
    .sort((x, y) => y.value - x.value)
    .slice(0, DIMENSIONS)
  const basis = new Float64Array(DIMENSIONS * width)
  order.forEach(({ i }, d) => {
    for (let a = 0; a < width; a++) basis[d * width + a] = evd.eigenvectorMatrix.get(a, i)
  })
  return (rows) => {
    const out = new Float32Array((rows.length / width) * DIMENSIONS)
    for (let r = 0; r < rows.length / width; r++)
      for (let d = 0; d < DIMENSIONS; d++) {
        let s = 0
        for (let a = 0; a < width; a++) s += basis[d * width + a] * (rows[r * width + a] - mean[a])
        out[r * DIMENSIONS + d] = s
      }
    return out
  }
}

/** Even spread off the rim; what differs most from the usual goes first. */
function queriesOf(o: DownsampledCloud, features: Float32Array): Int32Array {
  const inner: number[] = []
  for (let i = 0; i < o.rim.length; i++) if (o.rim[i] === 0) inner.push(i)
  const telling = (i: number): number => {
    let s = 0
    for (let d = 0; d < DIMENSIONS; d++) s += features[i * DIMENSIONS + d] ** 2
    return s
  }
  const kept = Math.min(inner.length, 2 * MAX_QUERIES)
  const spread = Array.from({ length: kept }, (_, k) => inner[Math.floor((k * inner.length) / kept)])
  const far = new Map(spread.map((i) => [i, telling(i)]))
  return Int32Array.from(spread.sort((a, b) => far.get(b)! - far.get(a)!).slice(0, MAX_QUERIES))
}
