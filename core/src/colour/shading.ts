/*
 * Light that stays with the camera, as a function of the direction a surface faces in the camera's axes: polynomials on
 * the sphere up to a degree, which are its spherical harmonics in another order (Ramamoorthi and Hanrahan 2001: light
 * from far away falls on a matt surface almost wholly in the first of them).
 */

const DEGREE = 4
const POWERS: readonly (readonly [number, number, number])[] = Array.from({ length: DEGREE }, (_, d) => d + 1).flatMap(
  (degree) =>
    // x² + y² + z² = 1, so that z stands at most once.
    [0, 1].flatMap((z) => Array.from({ length: degree - z + 1 }, (_, x) => [x, degree - z - x, z] as const)),
)
/** How many numbers tell the light of one channel, its mean left out. */
export const SHADING_TERMS = POWERS.length

/** The terms for a unit direction. @param out gets SHADING_TERMS numbers from `at` on */
export function shadingTerms(x: number, y: number, z: number, out: Float64Array, at = 0): void {
  const [x2, y2] = [x * x, y * y]
  let k = at
  for (const [a, b, c] of POWERS) {
    let v = c === 1 ? z : 1
    if (a & 1) v *= x
    if (a & 2) v *= x2
    if (a & 4) v *= x2 * x2
    if (b & 1) v *= y
    if (b & 2) v *= y2
    if (b & 4) v *= y2 * y2
    out[k++] = v
  }
}
