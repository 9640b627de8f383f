import { boundsOf, diagonal } from '../shapes'
import { thinEvenly } from './thin'

/**
 * Surface that so many points of a take stand for, mm²: each for the square of the distance to its neighbour. Said
 * before a cut and after it by the same rule, so that the same points are the same area.
 */
export const areaOfPoints = (count: number, spacingMm: number): number => count * spacingMm * spacingMm

/** Cells across the diagonal: fine enough for the form, wide enough that a cell of the surface is not missed. */
const CELLS_ACROSS = 80
/** A cell is at least so many point spacings wide, so that none on the surface stays empty. */
const SPACINGS_A_CELL = 3
/** A surface at random slant meets 1.5 cells for each cell's area: the mean of |x| + |y| + |z| over all directions. */
const CELLS_MET = 1.5

/**
 * Area of the surface that points lie on, mm², where several takes may show the same of it: by the cells they fall in.
 * @param positions x, y, z in one frame, mm
 */
export function surfaceAreaMm2(positions: Float32Array): number {
  const n = positions.length / 3
  if (n < 3) return 0
  const size = diagonal(boundsOf(positions))
  if (!(size > 0)) return 0
  const at = (cellMm: number): number =>
    (thinEvenly({ kind: 'cloud', positions }, cellMm).length * cellMm * cellMm) / CELLS_MET
  const area = at(size / CELLS_ACROSS)
  const least = SPACINGS_A_CELL * Math.sqrt(area / n)
  return least > size / CELLS_ACROSS ? at(least) : area
}
