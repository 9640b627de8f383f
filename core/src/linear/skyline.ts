/**
 * Sparse symmetric positive definite systems, solved directly: rows are renumbered so that what belongs together lies
 * together (reverse Cuthill and McKee 1969), and each row of the factor is kept from its first number on (skyline;
 * Jennings 1966, as in George and Liu 1981, "Computer Solution of Large Sparse Positive Definite Systems").
 */
export class SkylineFactor {
  /** New number of each row, and where each row of the factor begins. */
  private readonly place: Int32Array
  private readonly first: Int32Array
  private readonly start: Float64Array
  private readonly values: Float64Array

  /**
   * @param rows for each row the columns that are not zero, its own among them, and their values
   * @throws RangeError where the matrix is not positive definite
   */
  constructor(rows: readonly { readonly columns: Int32Array; readonly values: Float64Array }[]) {
    const n = rows.length
    this.place = renumber(rows.map((r) => r.columns))
    this.first = new Int32Array(n)
    this.start = new Float64Array(n + 1)
    const order = new Int32Array(n)
    this.place.forEach((to, from) => (order[to] = from))
    for (let i = 0; i < n; i++) {
      let least = i
      for (const c of rows[order[i]].columns) least = Math.min(least, this.place[c])
      this.first[i] = least
      this.start[i + 1] = this.start[i] + (i - least + 1)
    }
    this.values = new Float64Array(this.start[n])
    for (let i = 0; i < n; i++) {
      const { columns, values } = rows[order[i]]
      for (let k = 0; k < columns.length; k++) {
        const j = this.place[columns[k]]
        if (j <= i) this.values[this.start[i] + j - this.first[i]] += values[k]
      }
    }
    this.factor()
  }

  /** How many numbers a factor would hold; to be asked before it is made. */
  static size(columns: readonly Int32Array[]): number {
    const place = renumber(columns)
    let sum = 0
    columns.forEach((list, row) => {
      let least = place[row]
      for (const c of list) least = Math.min(least, place[c])
      sum += place[row] - least + 1
    })
    return sum
  }

  private factor(): void {
    const { first, start, values: l } = this
    const n = first.length
    for (let i = 0; i < n; i++) {
      const row = start[i] - first[i]
      for (let j = first[i]; j < i; j++) {
        const other = start[j] - first[j]
        let sum = l[row + j]
        for (let k = Math.max(first[i], first[j]); k < j; k++) sum -= l[row + k] * l[other + k]
        l[row + j] = sum / l[other + j]
      }
      let own = l[row + i]
      const whole = own
      for (let k = first[i]; k < i; k++) own -= l[row + k] * l[row + k]
      if (!(own > 1e-13 * whole)) throw new RangeError('The matrix is not positive definite.')
      l[row + i] = Math.sqrt(own)
    }
  }

  /** Solves for one right side, which becomes the solution. */
  solve(b: Float64Array): void {
    const { first, start, values: l, place } = this
    const n = first.length
    const x = new Float64Array(n)
    for (let i = 0; i < n; i++) x[place[i]] = b[i]
    for (let i = 0; i < n; i++) {
      const row = start[i] - first[i]
      let sum = x[i]
      for (let k = first[i]; k < i; k++) sum -= l[row + k] * x[k]
      x[i] = sum / l[row + i]
    }
    for (let i = n - 1; i >= 0; i--) {
      const row = start[i] - first[i]
      const v = (x[i] /= l[row + i])
      for (let k = first[i]; k < i; k++) x[k] -= l[row + k] * v
    }
    for (let i = 0; i < n; i++) b[i] = x[place[i]]
  }
}

/** Reverse Cuthill–McKee: breadth first from a far end, neighbours of few neighbours first. @returns new numbers */
function renumber(columns: readonly Int32Array[]): Int32Array {
  const n = columns.length
  const place = new Int32Array(n).fill(-1)
  const seen = new Uint8Array(n)
  let done = 0
  for (let seed = 0; seed < n; seed++) {
    if (place[seed] >= 0) continue
    // The last of a search from anywhere lies at one end; twice is far enough.
    let from = seed
    for (let k = 0; k < 2; k++) {
      const reached = spread(columns, from, seen)
      from = reached[reached.length - 1]
      for (const v of reached) seen[v] = 0
    }
    const reached = spread(columns, from, seen)
    for (const v of reached) place[v] = n - 1 - done++
  }
  return place
}

function spread(columns: readonly Int32Array[], from: number, seen: Uint8Array): number[] {
  const reached = [from]
  seen[from] = 1
  for (let k = 0; k < reached.length; k++) {
    const next = columns[reached[k]].filter((c) => !seen[c])
    next.sort((a, b) => columns[a].length - columns[b].length)
    for (const c of next) {
      if (seen[c]) continue
      seen[c] = 1
      reached.push(c)
    }
  }
  return reached
}
