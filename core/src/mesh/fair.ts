/**
 * Moves the new vertices of a patch to the thin-plate shape that continues the surface round it: least squares of the
 * umbrella Laplacian over new vertices and rim (Botsch and Kobbelt 2004; the rim's rows see the old surface, so the
 * join is smooth in tangent too). Conjugate gradients, matrix-free.
 *
 * @param positions all vertices, n×3 mm; those from `firstNew` on are moved in place
 * @param oldFaces, newFaces corner triples
 */
export function fairPatch(
  positions: Float64Array,
  oldFaces: readonly number[],
  newFaces: readonly number[],
  loop: Int32Array,
  firstNew: number,
): void {
  const total = positions.length / 3
  const free = total - firstNew
  if (free === 0) return
  // Rows of the Laplacian: the rim, then the new vertices.
  const rowOf = new Map<number, number>()
  loop.forEach((v) => rowOf.set(v, rowOf.size))
  for (let v = firstNew; v < total; v++) rowOf.set(v, rowOf.size)
  const neighbours: Set<number>[] = Array.from({ length: rowOf.size }, () => new Set<number>())
  const link = (faces: readonly number[]): void => {
    for (let f = 0; f < faces.length; f += 3) {
      for (let k = 0; k < 3; k++) {
        const row = rowOf.get(faces[f + k])
        if (row === undefined) continue
        neighbours[row].add(faces[f + ((k + 1) % 3)]).add(faces[f + ((k + 2) % 3)])
      }
    }
  }
  link(oldFaces)
  link(newFaces)
  const vertexOfRow = [...rowOf.keys()]
  const lists = neighbours.map((s) => Int32Array.from(s))
  const rows = lists.length
  // r = L·x: vertex minus the mean of its neighbours.
  const laplacian = (x: Float64Array, c: number, out: Float64Array): void => {
    for (let r = 0; r < rows; r++) {
      const list = lists[r]
      let mean = 0
      for (const v of list) mean += x[v * 3 + c]
      out[r] = x[vertexOfRow[r] * 3 + c] - mean / list.length
    }
  }
  // g = Lᵀ·r restricted to the new vertices.
  const transpose = (r: Float64Array, out: Float64Array): void => {
    out.fill(0)
    for (let i = 0; i < rows; i++) {
      const v = vertexOfRow[i]
      if (v >= firstNew) out[v - firstNew] += r[i]
      const list = lists[i]
      const share = r[i] / list.length
      for (const w of list) if (w >= firstNew) out[w - firstNew] -= share
    }
  }
  const row = new Float64Array(rows)
  const step = new Float64Array(positions.length)
  for (let c = 0; c < 3; c++) {
    laplacian(positions, c, row)
    const g = new Float64Array(free)
    transpose(row, g)
    const residual = g.map((v) => -v)
    const direction = residual.slice()
    let rr = residual.reduce((s, v) => s + v * v, 0)
    const goal = rr * 1e-16
    for (let i = 0; i < Math.min(4 * free + 50, 2000) && rr > goal && rr > 1e-24; i++) {
      step.fill(0)
      for (let v = 0; v < free; v++) step[(firstNew + v) * 3 + c] = direction[v]!
      laplacian(step, c, row)
      let curvature = 0
      for (const v of row) curvature += v * v
      const alpha = rr / curvature
      transpose(row, g)
      let next = 0
      for (let v = 0; v < free; v++) {
        positions[(firstNew + v) * 3 + c] += alpha * direction[v]
        residual[v] -= alpha * g[v]
        next += residual[v] * residual[v]
      }
      const beta = next / rr
      for (let v = 0; v < free; v++) direction[v] = residual[v] + beta * direction[v]
      rr = next
    }
  }
}
