import { checkpoint, type RunContext } from '../context'
import { estimateFeatures } from './normals'
import { across } from '../linear/across'
import { QuadricFit } from './quadric'
import { medianSpacing } from './spacing'
import { median } from '../linear/samples'
import type { PointCloud } from '../shapes'

export interface DoubleLayers {
  /** Patches looked at, and those where the frames' surfaces stand apart more than their own scatter explains. */
  readonly patches: number
  readonly double: number
  /** Median distance between the outermost frames in the double patches, mm; 0 when there are none. */
  readonly apartMm: number
  /** Robust scatter of points about their own frame's surface, mm. */
  readonly scatterMm: number
  /** Per point: 1 in a double patch. */
  readonly mask: Uint8Array
}

/** Edge of a patch in spacings, points a frame needs in it to speak, and the frames it takes. */
const PATCH_SPACINGS = 9
const MIN_OF_FRAME = 6
const MIN_POINTS = 24
/** F ratio of scatter between frames to scatter within: far beyond chance for any number of frames. */
const F_LIMIT = 6
/** Frames' spread must reach this share of the scatter within to be a layer and not a shake. */
const SPREAD_SHARE = 1
const quadric = new QuadricFit()
const basis = new Float64Array(6)

/**
 * Looks for ghost layers: one take whose frames disagree shows the same surface twice. Every patch gets one quadric
 * through all its points; a one-way analysis of variance by frame tells whether frames sit at different heights over it
 * (Fisher's F).
 * Points in mm; frames as the cloud numbers them. Clouds without frames have no patches.
 */
export function findDoubleLayers(cloud: PointCloud, context: RunContext): DoubleLayers {
  const n = cloud.positions.length / 3
  const mask = new Uint8Array(n)
  const none = { patches: 0, double: 0, apartMm: 0, scatterMm: 0, mask }
  if (!cloud.frame || n < MIN_POINTS) return none
  const edge = PATCH_SPACINGS * medianSpacing(cloud)
  if (!(edge > 0)) return none
  const normals = cloud.normals ?? estimateFeatures(cloud, { ...context, progress: () => undefined }).normals
  const order = byCell(cloud.positions, normals, edge)
  const apart: number[] = [],
    scatter: number[] = []
  let patches = 0
  for (let from = 0; from < n;) {
    let to = from + 1
    while (to < n && order.key[order.ids[to]] === order.key[order.ids[from]]) to++
    const ids = order.ids.subarray(from, to)
    from = to
    checkpoint(context, to, n, 'Looking for double surfaces')
    const heights = ids.length < MIN_POINTS ? null : heightsOver(cloud.positions, normals, ids)
    if (!heights) continue
    const verdict = varianceByFrame(heights, ids, cloud.frame)
    if (!verdict) continue
    patches++
    scatter.push(verdict.within)
    if (verdict.ratio > F_LIMIT && verdict.between > SPREAD_SHARE * verdict.within) {
      apart.push(verdict.apart)
      for (const i of ids) mask[i] = 1
    }
  }
  return {
    patches,
    double: apart.length,
    apartMm: apart.length > 0 ? median(apart) : 0,
    scatterMm: scatter.length > 0 ? median(scatter) : 0,
    mask,
  }
}

/** Points grouped by cell and by the side they face, so that thin walls do not count as double. */
function byCell(positions: Float32Array, normals: Float32Array, edge: number): { ids: Int32Array; key: Float64Array } {
  const n = positions.length / 3
  const key = new Float64Array(n)
  const low = [Infinity, Infinity, Infinity]
  for (let i = 0; i < positions.length; i++) low[i % 3] = Math.min(low[i % 3], positions[i])
  for (let i = 0; i < n; i++) {
    const [x, y, z] = [0, 1, 2].map((c) => Math.floor((positions[i * 3 + c] - low[c]) / edge)) as [
      number,
      number,
      number,
    ]
    const a = [0, 1, 2].map((c) => Math.abs(normals[i * 3 + c]))
    const axis = a[0] >= a[1] && a[0] >= a[2] ? 0 : a[1] >= a[2] ? 1 : 2
    const side = axis * 2 + (normals[i * 3 + axis] < 0 ? 1 : 0)
    key[i] = ((x * 8192 + y) * 8192 + z) * 6 + side
  }
  const ids = Int32Array.from({ length: n }, (_, i) => i).sort((p, q) => key[p] - key[q] || p - q)
  return { ids, key }
}

/** Heights of a patch's points over their common quadric, along the mean normal; null where none can be laid. */
function heightsOver(p: Float32Array, m: Float32Array, ids: Int32Array): Float64Array | null {
  let nx = 0,
    ny = 0,
    nz = 0,
    cx = 0,
    cy = 0,
    cz = 0
  for (const i of ids) {
    nx += m[i * 3]
    ny += m[i * 3 + 1]
    nz += m[i * 3 + 2]
    cx += p[i * 3]
    cy += p[i * 3 + 1]
    cz += p[i * 3 + 2]
  }
  const l = Math.hypot(nx, ny, nz),
    k = ids.length
  if (l < 0.8 * k) return null
  nx /= l
  ny /= l
  nz /= l
  cx /= k
  cy /= k
  cz /= k
  across(nx, ny, nz, basis)
  const [ux, uy, uz, vx, vy, vz] = basis as unknown as [number, number, number, number, number, number]
  const h = new Float64Array(k),
    uv = new Float64Array(2 * k)
  quadric.begin()
  ids.forEach((i, q) => {
    const x = p[i * 3] - cx,
      y = p[i * 3 + 1] - cy,
      z = p[i * 3 + 2] - cz
    uv[2 * q] = ux * x + uy * y + uz * z
    uv[2 * q + 1] = vx * x + vy * y + vz * z
    h[q] = nx * x + ny * y + nz * z
    quadric.add(uv[2 * q], uv[2 * q + 1], h[q])
  })
  if (!quadric.solve()) return null
  for (let q = 0; q < k; q++) h[q] -= quadric.at(uv[2 * q], uv[2 * q + 1])
  return h
}

/**
 * Spread of the frames' mean heights beyond what the points' own scatter gives, and Fisher's F; null with fewer than
 * two frames that speak.
 */
function varianceByFrame(
  heights: Float64Array,
  ids: Int32Array,
  frame: Uint16Array,
): { ratio: number; between: number; within: number; apart: number } | null {
  const groups = new Map<number, { n: number; sum: number; squares: number }>()
  ids.forEach((i, q) => {
    const f = frame[i]
    const at = groups.get(f) ?? { n: 0, sum: 0, squares: 0 }
    at.n++
    at.sum += heights[q]
    at.squares += heights[q] ** 2
    groups.set(f, at)
  })
  const heard = [...groups.values()].filter((v) => v.n >= MIN_OF_FRAME)
  if (heard.length < 2) return null
  const total = heard.reduce((s, v) => s + v.n, 0),
    mean = heard.reduce((s, v) => s + v.sum, 0) / total
  const between = heard.reduce((s, v) => s + v.n * (v.sum / v.n - mean) ** 2, 0) / (heard.length - 1)
  const within = heard.reduce((s, v) => s + v.squares - v.sum ** 2 / v.n, 0) / Math.max(1, total - heard.length)
  const each = (total - heard.reduce((s, v) => s + v.n ** 2, 0) / total) / (heard.length - 1)
  const means = heard.map((v) => v.sum / v.n)
  return {
    ratio: between / Math.max(within, 1e-18),
    between: Math.sqrt(Math.max(0, between - within) / each),
    within: Math.sqrt(within),
    apart: Math.max(...means) - Math.min(...means),
  }
}
