import { solveCholesky } from '../linear/cholesky'

/** Sums of a least-squares problem of a few unknowns, row by row; the upper half is filled in when it is solved. */
export class NormalEquations {
  readonly a: Float64Array
  readonly b: Float64Array
  /** Σ w·r² */
  cost = 0

  constructor(readonly unknowns: number) {
    this.a = new Float64Array(unknowns * unknowns)
    this.b = new Float64Array(unknowns)
  }

  /** A reading that is off by `residual`, and how that changes with each unknown. */
  add(row: ArrayLike<number>, residual: number, weight: number): void {
    const { a, b, unknowns: n } = this
    for (let i = 0; i < n; i++) {
      const w = weight * row[i]
      if (w === 0) continue
      for (let j = 0; j <= i; j++) a[i * n + j] += w * row[j]
      b[i] -= w * residual
    }
    this.cost += weight * residual * residual
  }

  /** All that was added counts so many times. */
  scale(factor: number): void {
    for (let i = 0; i < this.a.length; i++) this.a[i] *= factor
    for (let i = 0; i < this.b.length; i++) this.b[i] *= factor
    this.cost *= factor
  }

  /** An unknown that is held near naught. */
  hold(i: number, residual: number, sigma: number): void {
    const w = 1 / (sigma * sigma)
    this.a[i * this.unknowns + i] += w
    this.b[i] -= w * residual
    this.cost += w * residual * residual
  }

  /** The step that makes the sum least (Levenberg 1944, Marquardt 1963); null where nothing tells one. */
  step(damping: number): Float64Array | null {
    const { a, b, unknowns: n } = this
    const full = new Float64Array(n * n)
    for (let i = 0; i < n; i++) {
      for (let j = 0; j <= i; j++) full[i * n + j] = full[j * n + i] = a[i * n + j]
      full[i * n + i] += damping * a[i * n + i] + 1e-12
    }
    const x = new Float64Array(n)
    return solveCholesky(full, b, x, n) ? x : null
  }
}

/** Tukey's weight of a residual (Beaton and Tukey 1974). */
export const tukey = (residual: number, limit: number): number => {
  const q = residual / limit
  return q * q < 1 ? (1 - q * q) ** 2 : 0
}
