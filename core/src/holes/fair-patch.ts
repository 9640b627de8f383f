import { SkylineFactor } from '../linear/skyline'

/** Numbers a factor may hold; larger systems are solved step by step. */
const MAX_FACTOR = 2e7

/**
 * The thin-plate shape that continues the surface round a patch: least squares of the umbrella Laplacian over the new
 * points and the rim (Botsch and Kobbelt 2004; the rim's rows see the old surface, so the join is smooth in tangent,
 * too). Solved once, directly; where that would not fit into memory, by conjugate gradients.
 *
 * @param positions of all points, n×3 mm; those from `firstNew` on are moved in place
 * @param neighbours for each point of the rim, then each new one from `firstNew` on, the points it has an edge to
 * @param rim numbers of its points, each once
 */
export function fairPatch(
  positions: Float64Array,
  rim: ArrayLike<number>,
  neighbours: readonly Int32Array[],
  firstNew: number,
): void {
  const free = positions.length / 3 - firstNew
  if (free === 0) return
  const rows = neighbours.length
  const pointOf = (row: number): number => (row < rim.length ? rim[row] : firstNew + row - rim.length)
  // The normal equations: each row of the Laplacian couples its point and all its neighbours.
  const coupled: Map<number, number>[] = Array.from({ length: free }, () => new Map<number, number>())
  const right = [0, 1, 2].map(() => new Float64Array(free))
  for (let r = 0; r < rows; r++) {
    const list = neighbours[r]
    const share = -1 / list.length
    const fixed = [0, 0, 0]
    const own: number[] = [],
      weight: number[] = []
    const take = (v: number, w: number): void => {
      if (v >= firstNew) {
        own.push(v - firstNew)
        weight.push(w)
      } else for (let c = 0; c < 3; c++) fixed[c] += w * positions[v * 3 + c]
    }
    take(pointOf(r), 1)
    for (const v of list) take(v, share)
    for (let i = 0; i < own.length; i++) {
      const row = coupled[own[i]]
      for (let k = 0; k < own.length; k++) row.set(own[k], (row.get(own[k]) ?? 0) + weight[i] * weight[k])
      for (let c = 0; c < 3; c++) right[c][own[i]] -= weight[i] * fixed[c]
    }
  }
  const matrix = coupled.map((row) => ({
    columns: Int32Array.from(row.keys()),
    values: Float64Array.from(row.values()),
  }))
  const put = (c: number, x: Float64Array): void => {
    for (let v = 0; v < free; v++) positions[(firstNew + v) * 3 + c] = x[v]
  }
  if (SkylineFactor.size(matrix.map((r) => r.columns)) <= MAX_FACTOR) {
    const factor = new SkylineFactor(matrix)
    right.forEach((b, c) => {
      factor.solve(b)
      put(c, b)
    })
    return
  }
  right.forEach((b, c) => {
    const x = Float64Array.from({ length: free }, (_, v) => positions[(firstNew + v) * 3 + c])
    conjugateGradients(matrix, b, x)
    put(c, x)
  })
}

type Row = { readonly columns: Int32Array; readonly values: Float64Array }

/** Conjugate gradients with the diagonal taken out (Hestenes and Stiefel 1952); `x` is where it begins and ends. */
function conjugateGradients(matrix: readonly Row[], b: Float64Array, x: Float64Array): void {
  const n = b.length
  const times = (v: Float64Array, out: Float64Array): void => {
    for (let i = 0; i < n; i++) {
      const { columns, values } = matrix[i]
      let sum = 0
      for (let k = 0; k < columns.length; k++) sum += values[k] * v[columns[k]]
      out[i] = sum
    }
  }
  const diagonal = Float64Array.from(matrix, ({ columns, values }, i) => values[columns.indexOf(i)])
  const product = new Float64Array(n)
  times(x, product)
  const residual = b.map((v, i) => v - product[i])
  const direction = residual.map((v, i) => v / diagonal[i])
  let rr = residual.reduce((s, v, i) => s + (v * v) / diagonal[i], 0)
  const goal = rr * 1e-16
  for (let round = 0; round < Math.min(4 * n + 50, 4000) && rr > goal && rr > 1e-24; round++) {
    times(direction, product)
    let curvature = 0
    for (let i = 0; i < n; i++) curvature += direction[i] * product[i]
    const alpha = rr / curvature
    let next = 0
    for (let i = 0; i < n; i++) {
      x[i] += alpha * direction[i]
      residual[i] -= alpha * product[i]
      next += (residual[i] * residual[i]) / diagonal[i]
    }
    const beta = next / rr
    for (let i = 0; i < n; i++) direction[i] = residual[i] / diagonal[i] + beta * direction[i]
    rr = next
  }
}
