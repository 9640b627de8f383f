/**
 * Solves A·x = b for a symmetric positive-definite n×n matrix (row-major, full), small n. Returns false when A is not
 * positive definite; `x` may be `b`. A is not changed.
 */
export function solveCholesky(a: Float64Array, b: Float64Array, x: Float64Array, n: number): boolean {
  const l = new Float64Array(n * n)
  for (let i = 0; i < n; i++) {
    for (let j = 0; j <= i; j++) {
      let sum = a[i * n + j]
      for (let k = 0; k < j; k++) sum -= l[i * n + k] * l[j * n + k]
      if (i === j) {
        if (!(sum > 1e-14 * Math.abs(a[i * n + i]))) return false
        l[i * n + i] = Math.sqrt(sum)
      } else l[i * n + j] = sum / l[j * n + j]
    }
  }
  for (let i = 0; i < n; i++) {
    let sum = b[i]
    for (let k = 0; k < i; k++) sum -= l[i * n + k] * x[k]
    x[i] = sum / l[i * n + i]
  }
  for (let i = n - 1; i >= 0; i--) {
    let sum = x[i]
    for (let k = i + 1; k < n; k++) sum -= l[k * n + i] * x[k]
    x[i] = sum / l[i * n + i]
  }
  return true
}
