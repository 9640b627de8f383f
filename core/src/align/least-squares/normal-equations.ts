import { solveCholesky } from '../../linear/cholesky'

/** Weighted least squares of few unknowns, gathered row by row: H·x = g with H = Σ w rowᵀrow and g = −Σ w row r. */
export class NormalEquations {
  /** Row-major, full once `mirror` was called. */
  readonly h: Float64Array
  readonly g: Float64Array

  constructor(readonly unknowns: number) {
    this.h = new Float64Array(unknowns * unknowns)
    this.g = new Float64Array(unknowns)
  }

  clear(): void {
    this.h.fill(0)
    this.g.fill(0)
  }

  /** One residual `r` whose change by a unit of each unknown stands in `row`, on the upper triangle only. */
  add(row: Float64Array, r: number, weight: number): void {
    const { h, g, unknowns: n } = this
    for (let c = 0; c < n; c++) {
      const wc = weight * row[c]
      g[c] -= wc * r
      for (let e = c; e < n; e++) h[c * n + e] += wc * row[e]
    }
  }

  mirror(): void {
    const { h, unknowns: n } = this
    for (let c = 0; c < n; c++) for (let e = 0; e < c; e++) h[c * n + e] = h[e * n + c]
  }

  /** @returns false when the matrix is not positive definite */
  solve(x: Float64Array): boolean {
    return solveCholesky(this.h, this.g, x, this.unknowns)
  }
}

/**
 * Adds a share of the mean turn to turns and of the mean shift to shifts, so that what the surface leaves free stays
 * where it is (Levenberg 1944).
 * @param h 6×6, rotation first
 */
export function dampTwist(h: Float64Array, share: number, least: number): void {
  const turn = (share * (h[0] + h[7] + h[14])) / 3 + least,
    shift = (share * (h[21] + h[28] + h[35])) / 3 + least
  for (let c = 0; c < 6; c++) h[c * 7] += c < 3 ? turn : shift
}
