import { solveCholesky } from '../linear/cholesky'
import { PlaneSums } from './plane-sums'
import type { Facets } from '../mesh/facets'
import type { FaceNeighbours } from './face-normals'

/** A part of a surface that is a plane, or round like a cylinder, within its noise. */
export interface LaidRegion {
  readonly faces: readonly number[]
  /** How far a place lies off it, mm, and which way out of it is: off, x, y, z into `out`. */
  readonly surface: (at: Float64Array, out: Float64Array) => void
}

/** A face belongs to a region whose plane it faces like (cosine; 4°), and lies near. */
const ALIKE = Math.cos((4 * Math.PI) / 180)
/** A region is grown from a face that those round it face like (cosine; 1.5°). */
const EVEN = Math.cos((1.5 * Math.PI) / 180)
/** Noise a face may lie off its region's plane. */
const NEAR_SIGMAS = 4
/** Fewer faces say nothing sure of a plane. */
const MIN_FACES = 200
/** What bends takes less than this share off the scatter of a plane, or it is no plane. */
const MOST_BENT = 0.25
/** The plane is fitted anew each time the region has grown by so much. */
const REFIT = 1.25

/**
 * Planes of a mesh: regions grown from where normals are most alike, kept where a quadric fits them hardly better than a
 * plane does.
 * @param normals of faces, their noise taken off @param sigmaMm noise of the surface
 * @returns the regions, and each face's own (−1 for none)
 */
export function flatRegions(
  { middles, areas }: Facets,
  normals: Float64Array,
  { start, items }: FaceNeighbours,
  sigmaMm: number,
): { regions: LaidRegion[]; of: Int32Array } {
  const faces = areas.length
  const of = new Int32Array(faces).fill(-1)
  const tried = new Uint8Array(faces)
  const cosine = (f: number, x: number, y: number, z: number): number =>
    normals[f * 3] * x + normals[f * 3 + 1] * y + normals[f * 3 + 2] * z
  const even = new Float64Array(faces)
  for (let f = 0; f < faces; f++) {
    let least = 1
    for (let k = start[f]; k < start[f + 1]; k++) {
      const g = items[k] * 3
      least = Math.min(least, cosine(f, normals[g], normals[g + 1], normals[g + 2]))
    }
    even[f] = least
  }
  const seeds = Array.from(even.keys())
    .filter((f) => even[f] > EVEN)
    .sort((a, b) => even[b] - even[a])
  const regions: LaidRegion[] = []
  for (const seed of seeds) {
    if (of[seed] >= 0 || tried[seed]) continue
    const region = [seed]
    const inside = new Set(region)
    const sums = new PlaneSums()
    sums.add(middles, seed, areas[seed])
    let plane: [number, number, number, number] = [
      normals[seed * 3],
      normals[seed * 3 + 1],
      normals[seed * 3 + 2],
      cosine(seed, middles[seed * 3], middles[seed * 3 + 1], middles[seed * 3 + 2]),
    ]
    let refit = 12
    for (let k = 0; k < region.length; k++) {
      const f = region[k]
      for (let i = start[f]; i < start[f + 1]; i++) {
        const g = items[i]
        if (of[g] >= 0 || inside.has(g)) continue
        if (cosine(g, plane[0], plane[1], plane[2]) < ALIKE) continue
        const off = middles[g * 3] * plane[0] + middles[g * 3 + 1] * plane[1] + middles[g * 3 + 2] * plane[2] - plane[3]
        if (Math.abs(off) > NEAR_SIGMAS * sigmaMm) continue
        inside.add(g)
        region.push(g)
        sums.add(middles, g, areas[g])
      }
      if (region.length >= refit) {
        plane = sums.plane(plane)
        refit = Math.ceil(region.length * REFIT)
      }
    }
    plane = sums.plane(plane)
    if (region.length < MIN_FACES || isBent(middles, region, plane)) {
      for (const f of region) tried[f] = 1
      continue
    }
    for (const f of region) of[f] = regions.length
    regions.push({ faces: region, surface: offPlane(plane) })
  }
  return { regions, of }
}

/** Whether a quadric takes much of a region's scatter about its plane away. */
function isBent(middles: Float64Array, region: readonly number[], plane: readonly number[]): boolean {
  const [nx, ny, nz, d] = plane
  const k = [nx, ny, nz].findIndex((v) => Math.abs(v) === Math.max(Math.abs(nx), Math.abs(ny), Math.abs(nz)))
  const side = [0, 0, 0]
  side[(k + 1) % 3] = 1
  const u = cross(side, [nx, ny, nz])
  const l = Math.hypot(...u)
  const a = u.map((v) => v / l)
  const b = cross([nx, ny, nz], a)
  const along = (f: number, way: readonly number[]): number =>
    middles[f * 3] * way[0] + middles[f * 3 + 1] * way[1] + middles[f * 3 + 2] * way[2]
  const [x, y] = [a, b].map((way) => spread(Float64Array.from(region, (f) => along(f, way))))
  return isBentOver(
    Float64Array.from(region, (f) => along(f, plane) - d),
    MOST_BENT,
    6,
    (i, out) => out.set([1, x[i], y[i], x[i] * x[i], x[i] * y[i], y[i] * y[i]]),
  )
}

/** Whether what is off follows from some functions of the place: they take more than such a share of its scatter away. */
export function isBentOver(
  off: Float64Array,
  most: number,
  terms: number,
  termsAt: (k: number, out: Float64Array) => void,
): boolean {
  const normal = new Float64Array(terms * terms),
    right = new Float64Array(terms),
    row = new Float64Array(terms)
  let total = 0
  for (let k = 0; k < off.length; k++) {
    termsAt(k, row)
    for (let i = 0; i < terms; i++) {
      right[i] += row[i] * off[k]
      for (let j = 0; j < terms; j++) normal[i * terms + j] += row[i] * row[j]
    }
    total += off[k] * off[k]
  }
  const fit = new Float64Array(terms)
  if (!solveCholesky(normal, right, fit, terms)) return false
  let explained = 0
  for (let i = 0; i < terms; i++) explained += fit[i] * right[i]
  return explained > most * total
}

/** Values about their mean, at most 1. */
export function spread(values: Float64Array): Float64Array {
  let mean = 0,
    most = 0
  for (const v of values) mean += v / values.length
  for (const v of values) most = Math.max(most, Math.abs(v - mean))
  return values.map((v) => (v - mean) / (most || 1))
}

/** Of a plane nx, ny, nz, d: how far off it a place lies. */
const offPlane =
  ([nx, ny, nz, d]: readonly number[]): LaidRegion['surface'] =>
  (at, out) => {
    out[0] = nx * at[0] + ny * at[1] + nz * at[2] - d
    out[1] = nx
    out[2] = ny
    out[3] = nz
  }

const cross = (a: readonly number[], b: readonly number[]): number[] => [
  a[1] * b[2] - a[2] * b[1],
  a[2] * b[0] - a[0] * b[2],
  a[0] * b[1] - a[1] * b[0],
]
