import type { NormalEquations } from './normal-equations'
import { ALONG, PAIR_SIZE, type DirectedPairs } from './directed-pairs'

/**
 * How the distance along a normal changes with a small turn (3, rad) and shift (3) of what lies at the place: the
 * linearised point-to-plane distance (Chen and Medioni 1991, "Object modelling by registration of multiple range
 * images").
 * @param x,y,z the place, less the centre that turns are about
 * @param nx,ny,nz the normal
 * @param row gets six numbers
 */
export function planeRow(row: Float64Array, x: number, y: number, z: number, nx: number, ny: number, nz: number): void {
  row[0] = y * nz - z * ny
  row[1] = z * nx - x * nz
  row[2] = x * ny - y * nx
  row[3] = nx
  row[4] = ny
  row[5] = nz
}

/** Residuals beyond this many scatters have no say (Beaton and Tukey 1974; the constant for 95 % efficiency). */
export const TUKEY = 4.685

/** Tukey's weight of a residual given as a share of the limit beyond which it has none. */
export function tukeyWeight(u: number): number {
  if (u >= 1 || u <= -1) return 0
  const v = 1 - u * u
  return v * v
}

const row6 = new Float64Array(6)

/**
 * Adds all pairs of a direction, for the motion of `from` (sign 1) or of `to` (sign −1) against the other.
 * @param limitMm residuals from here on have no say
 * @param unit weight of a residual of nothing
 */
export function addPairs(
  eq: NormalEquations,
  { pair, count }: Pick<DirectedPairs, 'pair' | 'count'>,
  sign: 1 | -1,
  limitMm: number,
  unit = 1,
): void {
  for (let at = 0; at < count * PAIR_SIZE; at += PAIR_SIZE) {
    const r = pair[at + ALONG] * sign
    const w = tukeyWeight(r / limitMm) * unit
    if (w === 0) continue
    planeRow(row6, pair[at], pair[at + 1], pair[at + 2], pair[at + 3], pair[at + 4], pair[at + 5])
    eq.add(row6, r, w)
  }
}
