import { EigenvalueDecomposition, Matrix } from 'ml-matrix'

/** Eigenvalues of a symmetric n×n matrix, ascending and not below 0, with their vectors (ml-matrix). */
export function symmetricEigen(matrix: Float64Array, n: number): { values: number[]; vectors: Float64Array[] } {
  const evd = new EigenvalueDecomposition(
    new Matrix(Array.from({ length: n }, (_, r) => Array.from(matrix.subarray(r * n, r * n + n)))),
    { assumeSymmetric: true },
  )
  const order = evd.realEigenvalues
    .map((value, i) => ({ value: Math.max(0, value), i }))
    .sort((a, b) => a.value - b.value)
  return {
    values: order.map((o) => o.value),
    vectors: order.map((o) => Float64Array.from({ length: n }, (_, r) => evd.eigenvectorMatrix.get(r, o.i))),
  }
}
