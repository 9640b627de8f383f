import { solveCholesky } from '../linear/cholesky'

const N = 6

/**
 * Least-squares height field h ≈ c₀ + c₁u + c₂v + c₃u² + c₄uv + c₅v² over a patch's own plane; buffers serve all
 * patches. Curvatures follow from the first and second fundamental forms of the graph (do Carmo 1976, Differential
 * Geometry of Curves and Surfaces, 3-3).
 */
export class QuadricFit {
  readonly c = new Float64Array(N)
  private readonly a = new Float64Array(N * N)
  private readonly g = new Float64Array(N)
  private readonly row = new Float64Array(N)
  count = 0

  begin(): void {
    this.a.fill(0)
    this.g.fill(0)
    this.count = 0
  }

  add(u: number, v: number, h: number, weight = 1): void {
    const { a, g, row } = this
    row[0] = 1
    row[1] = u
    row[2] = v
    row[3] = u * u
    row[4] = u * v
    row[5] = v * v
    for (let i = 0; i < N; i++) {
      const w = weight * row[i]
      g[i] += w * h
      for (let j = i; j < N; j++) a[i * N + j] += w * row[j]
    }
    this.count++
  }

  /** false where the points do not say how the surface bends. */
  solve(): boolean {
    const { a } = this
    for (let i = 0; i < N; i++) for (let j = 0; j < i; j++) a[i * N + j] = a[j * N + i]!
    return this.count >= N && solveCholesky(a, this.g, this.c, N)
  }

  at(u: number, v: number): number {
    const { c } = this
    return c[0] + c[1] * u + c[2] * v + c[3] * u * u + c[4] * u * v + c[5] * v * v
  }

  /**
   * Principal curvatures at the patch's origin, 1/mm, the larger amount first; positive where the surface bends towards
   * +h.
   */
  curvatures(): [number, number] {
    const [, p, q, d, e, f] = this.c as unknown as number[]
    const E = 1 + p * p,
      F = p * q,
      G = 1 + q * q
    const l = Math.sqrt(1 + p * p + q * q)
    const L = (2 * d) / l,
      M = e / l,
      O = (2 * f) / l
    const det = E * G - F * F
    const mean = (E * O - 2 * F * M + G * L) / (2 * det),
      gauss = (L * O - M * M) / det
    const root = Math.sqrt(Math.max(0, mean * mean - gauss))
    return mean >= 0 ? [mean + root, mean - root] : [mean - root, mean + root]
  }
}
