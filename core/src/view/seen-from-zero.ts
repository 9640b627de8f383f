import { Patch } from '../cloud/patch'
import { boundsOf, diagonal, type PointCloud } from '../shapes'
import { KdTree } from '../spatial/kd-tree'

/** What speaks for a cloud being what one look from its own zero point saw. */
export interface OwnView {
  readonly isView: boolean
  /** How far the zero point lies from the middle of the points, mm. */
  readonly awayMm: number
  /** Share of normals that face the zero point; null without normals. */
  readonly facing: number | null
  /** Share of places that the zero point would have seen at a glance only, as no device sees them. */
  readonly grazing: number
  /** Share of points that lie in a line with others far before or behind them, as seen from there. */
  readonly torn: number
}

/** The zero point lies so far outside, in halves of the piece's size. */
const LEAST_AWAY = 1.5
/** A look takes in no wider a cone: half its angle, cosine. */
const LEAST_COSINE = Math.cos((50 * Math.PI) / 180)
const LEAST_POINTS = 500
/** Of the normals of one look, some are turned away by noise. */
const LEAST_FACING = 0.97
/** At outlines what lies before and behind share a cell; with normals that face there, more of it is believed. */
const MOST_TORN = 0.12
const MOST_TORN_FACING = 0.25
/** Surface that leans away from a look by more than this cosine is hardly ever taken; of other ways to look, a tenth is. */
const GRAZING = 0.1
const MOST_GRAZING = 0.015
/** Places asked how they lean, and points about each that say it. */
const LEANING = 400,
  ABOUT = 14
/** Points a cell of the picture, about, and how steep a surface in it may be. */
const POINTS_PER_CELL = 6
const STEEPEST = 6

/**
 * Whether a cloud is one picture of depths as seen from its own zero point: that lies outside it, its normals face
 * there, hardly any point lies behind another, and hardly any surface is seen at a glance only. Clouds of more than one
 * look, in coordinates of a table or of a piece, fail at one of these.
 */
export function seenFromZero({ positions: p, normals, originMm = [0, 0, 0] }: PointCloud): OwnView {
  const n = p.length / 3
  const no: OwnView = { isView: false, awayMm: 0, facing: null, grazing: 1, torn: 1 }
  if (n < LEAST_POINTS) return no
  const [ox, oy, oz] = originMm
  const middle = [0, 0, 0]
  for (let i = 0; i < p.length; i++) middle[i % 3] += p[i] / n
  const c = [middle[0] + ox, middle[1] + oy, middle[2] + oz]
  const awayMm = Math.hypot(c[0], c[1], c[2])
  if (awayMm < (LEAST_AWAY * diagonal(boundsOf(p))) / 2) return { ...no, awayMm }
  const axis = c.map((v) => v / awayMm)
  const side = Math.abs(axis[2]) < 0.9 ? [-axis[1], axis[0], 0] : [0, -axis[2], axis[1]]
  const length = Math.hypot(...side)
  const u = side.map((v) => v / length)
  const v = [axis[1] * u[2] - axis[2] * u[1], axis[2] * u[0] - axis[0] * u[2], axis[0] * u[1] - axis[1] * u[0]]
  const at = new Float32Array(n * 2),
    depth = new Float32Array(n)
  let facing = 0,
    told = 0
  const low = [Infinity, Infinity],
    high = [-Infinity, -Infinity]
  for (let i = 0; i < n; i++) {
    const x = p[i * 3] + ox,
      y = p[i * 3 + 1] + oy,
      z = p[i * 3 + 2] + oz
    const d = x * axis[0] + y * axis[1] + z * axis[2]
    if (d < LEAST_COSINE * Math.hypot(x, y, z)) return { ...no, awayMm }
    depth[i] = d
    at[i * 2] = (x * u[0] + y * u[1] + z * u[2]) / d
    at[i * 2 + 1] = (x * v[0] + y * v[1] + z * v[2]) / d
    for (let k = 0; k < 2; k++) {
      low[k] = Math.min(low[k], at[i * 2 + k])
      high[k] = Math.max(high[k], at[i * 2 + k])
    }
    if (!normals) continue
    const along = normals[i * 3] * x + normals[i * 3 + 1] * y + normals[i * 3 + 2] * z
    if (along === 0) continue
    told++
    if (along < 0) facing++
  }
  const cell = Math.sqrt(((high[0] - low[0]) * (high[1] - low[1]) * POINTS_PER_CELL) / n)
  if (!(cell > 0)) return { ...no, awayMm }
  const across = Math.floor((high[0] - low[0]) / cell) + 1,
    down = Math.floor((high[1] - low[1]) / cell) + 1
  const nearest = new Float32Array(across * down).fill(Infinity),
    farthest = new Float32Array(across * down).fill(-Infinity)
  const cellOf = (i: number): number =>
    Math.floor((at[i * 2 + 1] - low[1]) / cell) * across + Math.floor((at[i * 2] - low[0]) / cell)
  for (let i = 0; i < n; i++) {
    const k = cellOf(i)
    if (depth[i] < nearest[k]) nearest[k] = depth[i]
    if (depth[i] > farthest[k]) farthest[k] = depth[i]
  }
  let torn = 0
  for (let i = 0; i < n; i++) {
    const k = cellOf(i)
    if (farthest[k] - nearest[k] > STEEPEST * cell * depth[i]) torn++
  }
  const facingShare = told > n / 2 ? facing / told : null
  const smooth =
    facingShare === null ? torn / n <= MOST_TORN : facingShare >= LEAST_FACING && torn / n <= MOST_TORN_FACING
  const grazing = smooth ? grazingShare(p, normals, [ox, oy, oz]) : 1
  return { isView: smooth && grazing <= MOST_GRAZING, awayMm, facing: facingShare, grazing, torn: torn / n }
}

/** Share of places that lie along the ways from a point to them; by what lies about them where there are no normals. */
function grazingShare(p: Float32Array, normals: Float32Array | undefined, offset: readonly number[]): number {
  const n = p.length / 3
  const step = Math.max(1, Math.floor(n / LEANING))
  const tree = normals ? null : new KdTree(p),
    patch = new Patch(p)
  const ids = new Int32Array(ABOUT),
    d2 = new Float64Array(ABOUT)
  let grazing = 0,
    looked = 0
  for (let i = 0; i < n; i += step) {
    const k = i * 3
    const way = [p[k] + offset[0], p[k + 1] + offset[1], p[k + 2] + offset[2]]
    if (tree) patch.read(i, ids, tree.knn(p[k], p[k + 1], p[k + 2], ABOUT, ids, d2))
    const [nx, ny, nz] = normals ? normals.subarray(k, k + 3) : [patch.nx, patch.ny, patch.nz]
    const along = nx * way[0] + ny * way[1] + nz * way[2]
    looked++
    if (Math.abs(along) < GRAZING * Math.hypot(way[0], way[1], way[2])) grazing++
  }
  return grazing / looked
}

/** The cloud as one look from its zero point, so that what lies before its surface is known to be free. */
export const asOwnView = (cloud: PointCloud): PointCloud => ({
  ...cloud,
  frame: new Uint16Array(cloud.positions.length / 3),
  frameOrigins: Float64Array.from(cloud.originMm ?? [0, 0, 0], (v) => -v),
})
