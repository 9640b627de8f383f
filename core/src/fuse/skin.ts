import { areaOfPoints } from '../cloud/area'
import { checkpoint, stage, type RunContext } from '../context'
import { GeometryError } from '../errors'
import { thinEvenly } from '../cloud/thin'
import { boundsOf, diagonal, EVIDENCE, type TriangleMesh } from '../shapes'
import { median } from '../linear/samples'
import { medianSpacing } from '../cloud/spacing'
import { keepParts, type MeshPart } from '../mesh/components'
import { ALL_INSIDE, ALL_OUTSIDE, BRICK, BRICK_NODES, BrickGrid, gatherHalo } from './brick-grid'
import { carveFreeSpace } from './carve'
import { contourBricks } from './contour'
import { evidenceOf, withoutInvented } from './evidence'
import { sampleField, solveMembrane, type DenseField } from './membrane'
import { BYTES_PER_NODE, coarseFactor, predictFaces } from './predict'
import { gatherPoints, type FusePoints, type FuseTake } from './points'
import { markBricks, splatPlanes } from './splat'

export interface SkinOptions {
  /** Distance between grid nodes, mm, > 0. */
  readonly spacingMm: number
  /** false leaves unseen parts open instead of closing them. @defaultValue true */
  readonly closed?: boolean
  /** Keep parts that stand apart from the largest one, where points show them. @defaultValue false */
  readonly allParts?: boolean
  /** Memory the fusing may use, bytes. @defaultValue 2 GiB */
  readonly maxBytes?: number
}

export const SKIN_DEFAULTS = { closed: true, allParts: false, maxBytes: 2 * 2 ** 30 } as const

export interface SkinResult {
  readonly mesh: TriangleMesh
  readonly pointSpacingMm: number
  readonly bricks: number
  /** Connected parts, the largest first: those that are in the mesh, and those that were left off. */
  readonly parts: readonly MeshPart[]
  readonly partsDropped: readonly MeshPart[]
}

/** Kernel radius over node spacing; under 2 the field gets holes, over 3 it rounds detail away. */
const KERNEL = 2.3
/** Kernel radius over the spacing of the points: below it, neighbouring points no longer join. */
const KERNEL_POINTS = 2.2
/** Share of the usual weight below which a node is unknown. */
const MIN_WEIGHT = 0.04
const FINE_SWEEPS = 14
/**
 * Field at the border of the grid, in coarse spacings: a high wall would press the closing of a gap into the piece,
 * none would let it run away.
 */
const FAR_VALUE = 0.15

/**
 * One surface from joined takes: oriented points are splatted into a sparse grid of signed distances, what no frame saw
 * is filled by a membrane that respects free space, and the zero surface is drawn by marching tetrahedra. The result is
 * closed, 2-manifold, outward-oriented, with `evidence` per vertex.
 * @throws PARAMS spacing not positive · MEMORY with the smallest spacing that fits · EMPTY
 */
export function makeSkin(takes: readonly FuseTake[], options: SkinOptions, context: RunContext): SkinResult {
  const h = options.spacingMm
  if (!(h > 0) || !Number.isFinite(h))
    throw new GeometryError('PARAMS', `The spacing must be larger than 0 mm, not ${h}.`)
  const points = gatherPoints(takes)
  if (points.positions.length < 300)
    throw new GeometryError('EMPTY', `A skin needs at least 100 points; there are ${points.positions.length / 3}.`)
  const pointSpacing = medianSpacing(points)
  const radius = Math.max(KERNEL * h, KERNEL_POINTS * pointSpacing)
  const grid = layGrid(
    points,
    pointSpacing,
    h,
    radius,
    options.maxBytes ?? SKIN_DEFAULTS.maxBytes,
    stage(context, 0, 0.06),
  )
  const splat = splatPlanes(grid, points, radius, stage(context, 0.06, 0.3))
  const usual = usualWeight(splat.field, splat.weight, h)
  const threshold = usual * MIN_WEIGHT
  const coarse = coarseField(grid, splat.field, splat.weight, threshold, points, stage(context, 0.3, 0.6))
  const splatSlots = grid.slotCount
  activateCrossings(grid, coarse)
  const values = fineField(grid, splatSlots, splat.field, splat.weight, threshold, coarse, stage(context, 0.6, 0.75))
  const contour = contourBricks(grid, values, 2 * h, stage(context, 0.75, 0.92))
  if (contour.indices.length === 0)
    throw new GeometryError('EMPTY', 'No surface came out: the points do not enclose anything at this spacing.')
  checkpoint(context, 0.93, 1, 'Marking what was measured')
  const evidence = evidenceOf(contour, grid, splatSlots, splat.weight, threshold, usual)
  const whole: TriangleMesh = { kind: 'mesh', positions: contour.positions, indices: contour.indices, evidence }
  // A bubble that nobody measured is no part of the piece.
  const shown = (v: number): boolean => evidence[v] === EVIDENCE.measured
  const { mesh, kept, dropped } = keepParts(whole, options.allParts ? shown : undefined)
  return {
    mesh: options.closed === false ? withoutInvented(mesh) : mesh,
    pointSpacingMm: pointSpacing,
    bricks: grid.slotCount,
    parts: kept,
    partsDropped: dropped,
  }
}

interface Coarse extends DenseField {
  /** Coarse spacing = fine spacing × 2^level. */
  readonly factor: number
}

function layGrid(
  points: FusePoints,
  pointSpacing: number,
  h: number,
  radius: number,
  maxBytes: number,
  context: RunContext,
): BrickGrid {
  const { min, max } = boundsOf(points.positions)
  const pad = radius + 6 * h
  const extent = [0, 1, 2].map((c) => max[c] - min[c] + 2 * pad)
  const bricks = extent.map((e) => Math.ceil(e / (h * BRICK)) + 2) as [number, number, number]
  const refuse = (need: number): never => {
    const smallestMm = smallestSpacing(points, pointSpacing, h, maxBytes)
    throw new GeometryError(
      'MEMORY',
      `A spacing of ${h} mm needs about ${gigabytes(need)} GB of memory; ${gigabytes(maxBytes)} GB ` +
        `are there for it. The smallest that fits is ${smallestMm} mm.`,
      { smallestMm },
    )
  }
  const need = skinBytes(points, pointSpacing, h)
  if (need > maxBytes) refuse(need)
  const grid = new BrickGrid([min[0] - pad, min[1] - pad, min[2] - pad], h, bricks)
  markBricks(grid, points, radius, context)
  return grid
}

/**
 * Memory the whole run takes at a spacing, bytes: bricks near the points counted on a sample's cells, the brick table,
 * the points, the mesh.
 */
function skinBytes(points: FusePoints, pointSpacing: number, h: number): number {
  const radius = Math.max(KERNEL * h, KERNEL_POINTS * pointSpacing)
  const { min, max } = boundsOf(points.positions)
  const extent = [0, 1, 2].map((c) => max[c] - min[c] + 2 * (radius + 6 * h))
  const table = extent.reduce((n, e) => n * (Math.ceil(e / (h * BRICK)) + 2), 4)
  // The surface in cells wide enough to hold several points: its area, then the slab of bricks the kernels touch.
  const cell = Math.max(4 * pointSpacing, diagonal({ min, max }) / 200)
  const area = areaOfPoints(thinEvenly({ kind: 'cloud', positions: points.positions }, cell).length, cell) / 1.5
  const slab = area * (2 * radius + 2 * BRICK * h)
  return table + (slab / h ** 3) * BYTES_PER_NODE + points.positions.length * 30 + predictFaces(area, h) * 90
}

/** Smallest spacing whose memory fits, rounded up to two digits. */
function smallestSpacing(points: FusePoints, pointSpacing: number, h: number, maxBytes: number): number {
  let low = h
  let high = h * 2
  while (skinBytes(points, pointSpacing, high) > maxBytes) {
    low = high
    high *= 2
  }
  for (let i = 0; i < 12; i++) {
    const mid = (low + high) / 2
    if (skinBytes(points, pointSpacing, mid) > maxBytes) low = mid
    else high = mid
  }
  const digit = 10 ** (Math.floor(Math.log10(high)) - 1)
  return Number((Math.ceil(high / digit) * digit).toPrecision(3))
}

const gigabytes = (bytes: number): string => (bytes / 2 ** 30).toFixed(bytes < 10 * 2 ** 30 ? 1 : 0)

/** Median weight of nodes next to the surface. */
function usualWeight(field: Float32Array, weight: Float32Array, h: number): number {
  const found: number[] = []
  const step = Math.max(1, Math.floor(weight.length / 400000))
  for (let i = 0; i < weight.length; i += step)
    if (weight[i] > 0 && Math.abs(field[i] / weight[i]) < h / 2) found.push(weight[i])
  return median(found)
}

function coarseField(
  grid: BrickGrid,
  field: Float32Array,
  weight: Float32Array,
  threshold: number,
  points: FusePoints,
  context: RunContext,
): Coarse {
  const nodes = grid.bricks.map((b) => b * BRICK)
  const factor = coarseFactor(nodes)
  const size = nodes.map((n) => Math.ceil(n / factor) + 1) as [number, number, number]
  const [nx, ny, nz] = size
  const values = new Float32Array(nx * ny * nz)
  const count = new Float32Array(nx * ny * nz)
  const known = new Uint8Array(nx * ny * nz)
  const half = factor >> 1
  grid.slotBrick.forEach((brick, slot) => {
    const [bx, by, bz] = grid.brickCoordinates(brick)
    let at = slot * BRICK_NODES
    for (let z = 0; z < BRICK; z++)
      for (let y = 0; y < BRICK; y++)
        for (let x = 0; x < BRICK; x++, at++) {
          const w = weight[at]
          if (w < threshold) continue
          const c =
            (Math.floor((bz * BRICK + z + half) / factor) * ny + Math.floor((by * BRICK + y + half) / factor)) * nx +
            Math.floor((bx * BRICK + x + half) / factor)
          values[c] += field[at] / w
          count[c]++
        }
  })
  const coarseSpacing = grid.spacingMm * factor
  const unknown: number[] = []
  for (let z = 0, at = 0; z < nz; z++)
    for (let y = 0; y < ny; y++)
      for (let x = 0; x < nx; x++, at++) {
        if (x === 0 || y === 0 || z === 0 || x === nx - 1 || y === ny - 1 || z === nz - 1) {
          values[at] = FAR_VALUE * coarseSpacing
          known[at] = 1
        } else if (count[at] > 0) {
          values[at] /= count[at]
          known[at] = 1
        } else unknown.push(at)
      }
  const [ox, oy, oz] = grid.originMm
  const place = (node: number, out: Float64Array): void => {
    out[0] = ox + coarseSpacing * (node % nx)
    out[1] = oy + coarseSpacing * (Math.floor(node / nx) % ny)
    out[2] = oz + coarseSpacing * Math.floor(node / (nx * ny))
  }
  carveFreeSpace(
    points.views,
    2 * coarseSpacing,
    Int32Array.from(unknown),
    place,
    (node) => {
      values[node] = coarseSpacing
      known[node] = 1
    },
    stage(context, 0, 0.7),
  )
  const dense = { size, values, known, factor }
  solveMembrane(dense, stage(context, 0.7, 1))
  return dense
}

/** Bricks the membrane passes through become real; the rest learn whether they are inside or outside. */
function activateCrossings(grid: BrickGrid, coarse: Coarse): void {
  const { factor } = coarse
  const [nx, ny, nz] = coarse.size
  for (let brick = 0; brick < grid.table.length; brick++) {
    if (grid.table[brick] >= 0) continue
    const [bx, by, bz] = grid.brickCoordinates(brick)
    const low = [bx, by, bz].map((b) => Math.floor((b * BRICK - 1) / factor))
    const high = [bx, by, bz].map((b) => Math.ceil((b * BRICK + BRICK) / factor))
    let signs = 0
    for (let z = Math.max(0, low[2]); z <= Math.min(nz - 1, high[2]); z++) {
      for (let y = Math.max(0, low[1]); y <= Math.min(ny - 1, high[1]); y++) {
        for (let x = Math.max(0, low[0]); x <= Math.min(nx - 1, high[0]); x++)
          signs |= coarse.values[(z * ny + y) * nx + x] < 0 ? 1 : 2
      }
    }
    if (signs === 3) grid.ensure(brick)
    else grid.table[brick] = signs === 1 ? ALL_INSIDE : ALL_OUTSIDE
  }
}

/** Values at all nodes of all bricks: measured where known, elsewhere the membrane, relaxed at full spacing. */
function fineField(
  grid: BrickGrid,
  splatSlots: number,
  field: Float32Array,
  weight: Float32Array,
  threshold: number,
  coarse: Coarse,
  context: RunContext,
): Float32Array {
  const { factor } = coarse
  let values = new Float32Array(grid.slotCount * BRICK_NODES)
  const fill = (slot: number): void => {
    const [bx, by, bz] = grid.brickCoordinates(grid.slotBrick[slot])
    let at = slot * BRICK_NODES
    for (let z = 0; z < BRICK; z++)
      for (let y = 0; y < BRICK; y++)
        for (let x = 0; x < BRICK; x++, at++) {
          values[at] =
            slot < splatSlots && weight[at] >= threshold
              ? field[at] / weight[at]
              : sampleField(coarse, (bx * BRICK + x) / factor, (by * BRICK + y) / factor, (bz * BRICK + z) / factor)
        }
  }
  for (let slot = 0; slot < grid.slotCount; slot++) fill(slot)
  // A brick whose face disagrees in sign with an absent neighbour would end in a wall: the neighbour becomes real.
  for (let from = 0; from < grid.slotCount;) {
    const until = grid.slotCount
    for (let slot = from; slot < until; slot++) wakeNeighbours(grid, values, slot)
    if (grid.slotCount > until) {
      const bigger = new Float32Array(grid.slotCount * BRICK_NODES)
      bigger.set(values)
      values = bigger
      for (let slot = until; slot < grid.slotCount; slot++) fill(slot)
    }
    from = until
  }
  relaxBricks(grid, values, splatSlots, weight, threshold, context)
  return values
}

function wakeNeighbours(grid: BrickGrid, values: Float32Array, slot: number): void {
  const [bx, by, bz] = grid.brickCoordinates(grid.slotBrick[slot])
  const base = slot * BRICK_NODES
  for (let dz = -1; dz <= 1; dz++)
    for (let dy = -1; dy <= 1; dy++)
      for (let dx = -1; dx <= 1; dx++) {
        const x = bx + dx,
          y = by + dy,
          z = bz + dz
        const sign = grid.at(x, y, z)
        if (sign >= 0 || x < 0 || y < 0 || z < 0 || x >= grid.bricks[0] || y >= grid.bricks[1] || z >= grid.bricks[2])
          continue
        const inside = sign === ALL_INSIDE
        const range = (d: number): [number, number] =>
          d < 0 ? [0, 0] : d > 0 ? [BRICK - 1, BRICK - 1] : [0, BRICK - 1]
        const [z0, z1] = range(dz),
          [y0, y1] = range(dy),
          [x0, x1] = range(dx)
        search: for (let k = z0; k <= z1; k++)
          for (let j = y0; j <= y1; j++)
            for (let i = x0; i <= x1; i++) {
              if (values[base + (k * BRICK + j) * BRICK + i] < 0 !== inside) {
                grid.ensure(grid.brickIndex(x, y, z))
                break search
              }
            }
      }
}

function relaxBricks(
  grid: BrickGrid,
  values: Float32Array,
  splatSlots: number,
  weight: Float32Array,
  threshold: number,
  context: RunContext,
): void {
  const open: number[] = []
  for (let slot = 0; slot < grid.slotCount; slot++) {
    let unknown = slot >= splatSlots
    for (let i = slot * BRICK_NODES, e = i + BRICK_NODES; !unknown && i < e; i++)
      if (weight[i] < threshold) unknown = true
    if (unknown) open.push(slot)
  }
  const edge = BRICK + 2
  const halo = new Float32Array(edge * edge * edge)
  for (let sweep = 0; sweep < FINE_SWEEPS; sweep++) {
    checkpoint(context, sweep, FINE_SWEEPS, 'Smoothing what was closed')
    for (const slot of open) {
      const [bx, by, bz] = grid.brickCoordinates(grid.slotBrick[slot])
      gatherHalo(grid, values, bx, by, bz, 1, 1, 2 * grid.spacingMm, halo)
      let at = slot * BRICK_NODES
      for (let z = 1; z <= BRICK; z++)
        for (let y = 1; y <= BRICK; y++) {
          let p = (z * edge + y) * edge + 1
          for (let x = 0; x < BRICK; x++, p++, at++) {
            if (slot < splatSlots && weight[at] >= threshold) continue
            const mean =
              (halo[p - 1] +
                halo[p + 1] +
                halo[p - edge] +
                halo[p + edge] +
                halo[p - edge * edge] +
                halo[p + edge * edge]) /
              6
            halo[p] = mean
            values[at] = mean
          }
        }
    }
  }
}
