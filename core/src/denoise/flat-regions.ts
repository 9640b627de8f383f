import { solveCholesky } from '../linear/cholesky'
import { PlaneSums } from './plane-sums'
import type { FaceNeighbours, Facets } from './face-normals'

/** A part of a surface that is a plane within its noise. */
export interface FlatRegion {
  /** nx, ny, nz, d: a place x lies n·x − d over it, mm. */
  readonly plane: readonly [number, number, number, number]
  readonly faces: readonly number[]
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
): { regions: FlatRegion[]; of: Int32Array } {
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
  const regions: FlatRegion[] = []
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
    regions.push({ plane, faces: region })
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
  const middle = [0, 0, 0]
  for (const f of region) for (let c = 0; c < 3; c++) middle[c] += middles[f * 3 + c] / region.length
  let extent = 0
  for (const f of region) extent = Math.max(extent, Math.hypot(...middle.map((m, c) => middles[f * 3 + c] - m)))
  const normal = new Float64Array(36),
    right = new Float64Array(6),
    row = new Float64Array(6)
  let total = 0
  for (const f of region) {
    const q = middle.map((m, c) => (middles[f * 3 + c] - m) / extent)
    const x = q[0] * a[0] + q[1] * a[1] + q[2] * a[2],
      y = q[0] * b[0] + q[1] * b[1] + q[2] * b[2]
    const z = middles[f * 3] * nx + middles[f * 3 + 1] * ny + middles[f * 3 + 2] * nz - d
    row.set([1, x, y, x * x, x * y, y * y])
    for (let i = 0; i < 6; i++) {
      right[i] += row[i] * z
      for (let j = 0; j < 6; j++) normal[i * 6 + j] += row[i] * row[j]
    }
    total += z * z
  }
  const fit = new Float64Array(6)
  if (!solveCholesky(normal, right, fit, 6)) return false
  let explained = 0
  for (let i = 0; i < 6; i++) explained += fit[i] * right[i]
  return explained > MOST_BENT * total
}

const cross = (a: readonly number[], b: readonly number[]): number[] => [
  a[1] * b[2] - a[2] * b[1],
  a[2] * b[0] - a[0] * b[2],
  a[0] * b[1] - a[1] * b[0],
]
