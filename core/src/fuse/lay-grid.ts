import { areaOfPoints } from '../cloud/area'
import { thinEvenly } from '../cloud/thin'
import type { RunContext } from '../context'
import { GeometryError } from '../errors'
import { boundsOf, diagonal } from '../shapes'
import { BRICK, BrickGrid } from './brick-grid'
import type { FusePoints } from './points'
import { BYTES_PER_DENSE_FACE, BYTES_PER_NODE, predictDenseFaces } from './predict'
import { markBricks } from './splat'

/** Kernel radius over node spacing; under 2 the field gets holes, over 3 the sides of a thin wall no longer part. */
const KERNEL = 2.75
/** Kernel radius over the spacing of the points: below it, neighbouring points no longer join. */
const KERNEL_POINTS = 2.2

/** Reach of a point's plane, mm. */
export const kernelRadius = (spacingMm: number, pointSpacingMm: number): number =>
  Math.max(KERNEL * spacingMm, KERNEL_POINTS * pointSpacingMm)

/**
 * The grid round the points, its bricks near them made.
 * @throws MEMORY when it needs more than `maxBytes`, with the smallest spacing that fits
 */
export function layGrid(
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
  const radius = kernelRadius(h, pointSpacing)
  const { min, max } = boundsOf(points.positions)
  const extent = [0, 1, 2].map((c) => max[c] - min[c] + 2 * (radius + 6 * h))
  const table = extent.reduce((n, e) => n * (Math.ceil(e / (h * BRICK)) + 2), 4)
  // The surface in cells wide enough to hold several points: its area, then the slab of bricks the kernels touch.
  const cell = Math.max(4 * pointSpacing, diagonal({ min, max }) / 200)
  const area = areaOfPoints(thinEvenly({ kind: 'cloud', positions: points.positions }, cell).length, cell) / 1.5
  const slab = area * (2 * radius + 2 * BRICK * h)
  return (
    table +
    (slab / h ** 3) * BYTES_PER_NODE +
    points.positions.length * 30 +
    predictDenseFaces(area, h) * BYTES_PER_DENSE_FACE
  )
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
