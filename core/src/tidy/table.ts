import { findDominantPlane, refinePlane, type Plane } from '../cloud/plane'
import { stage, type RunContext } from '../context'
import { isGeometryError } from '../errors'
import { across } from '../linear/across'
import { indicesWhere, pickPoints, type PointCloud } from '../shapes'

/** What tells a table from a flat side of the piece. */
export interface TableSigns {
  /** Share of the points off the plane that lie below it: nothing can be seen through a table. */
  readonly belowShare: number
  /**
   * Share of the plane's points that lie outside the outline of what stands on it: a table reaches beyond, a tray's
   * floor and a flat base do not.
   */
  readonly beyondShare: number
  /** Share of the frames that look down on it, 1 where they are not known. */
  readonly fromAboveShare: number
  readonly isTable: boolean
}

export interface FoundTable {
  readonly plane: Plane
  readonly signs: TableSigns
}

const MAX_BELOW = 0.02
const MIN_BEYOND = 0.12
/** Outlines leave out this share of the points on every side, so that strays do not count. */
const FRINGE = 0.005
const DIRECTIONS = 16
const COS = Float64Array.from({ length: DIRECTIONS }, (_, d) => Math.cos((d * Math.PI) / DIRECTIONS))
const SIN = Float64Array.from({ length: DIRECTIONS }, (_, d) => Math.sin((d * Math.PI) / DIRECTIONS))
/** So many flat parts are looked at before giving up. */
const CANDIDATES = 6
/** Cosine: points whose normals lean farther from the plane’s do not count. */
const FACING = Math.cos((25 * Math.PI) / 180)
/** Points that are looked at while looking for the plane; the fit is on all. */
const SAMPLE = 40_000

/**
 * The table a take stands on: of the flat parts of the take, largest first (sequential RANSAC; Fischler and Bolles
 * 1981), the first that bears the signs of a table. Where none does, the largest flat part with its signs; null where
 * no points share a plane.
 */
export function findTable(
  cloud: PointCloud,
  context: RunContext,
  options: { readonly bandMm: number },
): FoundTable | null {
  const n = cloud.positions.length / 3
  const skip = Math.max(1, Math.floor(n / SAMPLE))
  let rest =
    skip === 1
      ? cloud
      : pickPoints(
          cloud,
          Int32Array.from({ length: Math.floor(n / skip) }, (_, i) => i * skip),
        )
  let first: FoundTable | null = null
  for (let k = 0; k < CANDIDATES; k++) {
    let plane: Plane
    try {
      plane = findDominantPlane(rest, stage(context, k / CANDIDATES, (k + 1) / CANDIDATES), options)
    } catch (error) {
      if (isGeometryError(error) && (error.code === 'DEGENERATE' || error.code === 'EMPTY')) break
      throw error
    }
    if (k > 0 || skip > 1) plane = upOver(cloud, refinePlane(cloud, plane, options.bandMm, FACING), options.bandMm)
    const signs = judgeTable(cloud, plane, options.bandMm)
    if (signs.isTable) return { plane, signs }
    first ??= { plane, signs }
    const off = new Uint8Array(rest.positions.length / 3)
    const [x, y, z] = plane.normal
    for (let i = 0, p = 0; i < off.length; i++, p += 3)
      off[i] =
        Math.abs(x * rest.positions[p] + y * rest.positions[p + 1] + z * rest.positions[p + 2] - plane.offsetMm) >
        options.bandMm
          ? 1
          : 0
    rest = pickPoints(rest, indicesWhere(off, 1))
    if (rest.positions.length < 3 * 0.1 * (n / skip)) break
  }
  return first
}

/** The plane of a sample, turned to the side of the whole cloud's points. */
function upOver(cloud: PointCloud, plane: Plane, bandMm: number): Plane {
  const { positions: p } = cloud
  const [x, y, z] = plane.normal
  let above = 0
  for (let i = 0; i < p.length; i += 3) {
    const r = x * p[i] + y * p[i + 1] + z * p[i + 2] - plane.offsetMm
    if (r > bandMm) above++
    else if (r < -bandMm) above--
  }
  return above >= 0 ? plane : { ...plane, normal: [-x, -y, -z], offsetMm: -plane.offsetMm }
}

/** Judges a flat part that was found; its normal points to the side with most points. */
export function judgeTable(cloud: PointCloud, plane: Plane, bandMm: number): TableSigns {
  const { positions: p } = cloud
  const [nx, ny, nz] = plane.normal
  const axes = new Float64Array(6)
  across(nx, ny, nz, axes)
  const [u0, u1, u2, v0, v1, v2] = axes as unknown as [number, number, number, number, number, number]
  const outline = new Outline(p.length / 3)
  // Places of the plane's own points, u and v by turns.
  const on = new Float32Array((2 * p.length) / 3)
  let flat = 0
  let below = 0
  for (let i = 0; i < p.length; i += 3) {
    const x = p[i],
      y = p[i + 1],
      z = p[i + 2]
    const r = nx * x + ny * y + nz * z - plane.offsetMm
    if (r < -bandMm) {
      below++
      continue
    }
    const a = u0 * x + u1 * y + u2 * z,
      b = v0 * x + v1 * y + v2 * z
    if (r > bandMm) outline.add(a, b)
    else {
      on[flat++] = a
      on[flat++] = b
    }
  }
  const belowShare = below / Math.max(1, outline.count + below)
  outline.close()
  let beyond = 0
  for (let i = 0; i < flat; i += 2) if (!outline.holds(on[i], on[i + 1])) beyond++
  const beyondShare = outline.count === 0 ? 0 : beyond / Math.max(1, flat / 2)
  const fromAboveShare = aboveShare(cloud.frameOrigins, plane)
  return {
    belowShare,
    beyondShare,
    fromAboveShare,
    isTable: belowShare <= MAX_BELOW && beyondShare >= MIN_BEYOND && fromAboveShare >= 0.5,
  }
}

function aboveShare(origins: Float64Array | undefined, { normal: [x, y, z], offsetMm }: Plane): number {
  if (!origins || origins.length === 0) return 1
  let above = 0
  for (let i = 0; i < origins.length; i += 3)
    if (x * origins[i] + y * origins[i + 1] + z * origins[i + 2] > offsetMm) above++
  return above / (origins.length / 3)
}

/**
 * The outline of points in a plane as the narrowest strips in sixteen directions that hold all but a fringe of them (a
 * discrete-orientation polygon; Klosowski et al. 1998).
 */
class Outline {
  count = 0
  private readonly us: Float32Array
  private readonly vs: Float32Array
  private readonly low = new Float64Array(DIRECTIONS)
  private readonly high = new Float64Array(DIRECTIONS)
  constructor(room: number) {
    this.us = new Float32Array(room)
    this.vs = new Float32Array(room)
  }
  add(u: number, v: number): void {
    this.us[this.count] = u
    this.vs[this.count++] = v
  }
  close(): void {
    const skip = Math.max(1, Math.floor(this.count / 20_000))
    const along = new Float32Array(Math.floor(this.count / skip))
    const cut = Math.floor(along.length * FRINGE)
    for (let d = 0; d < DIRECTIONS; d++) {
      const c = COS[d],
        s = SIN[d]
      for (let i = 0; i < along.length; i++) along[i] = c * this.us[i * skip] + s * this.vs[i * skip]
      along.sort()
      this.low[d] = along[cut] ?? Infinity
      this.high[d] = along[along.length - 1 - cut] ?? -Infinity
    }
  }
  holds(u: number, v: number): boolean {
    for (let d = 0; d < DIRECTIONS; d++) {
      const w = COS[d] * u + SIN[d] * v
      if (w < this.low[d] || w > this.high[d]) return false
    }
    return true
  }
}
