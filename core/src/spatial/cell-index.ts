/**
 * Points sorted into cube cells: open addressing on the cell's whole coordinates, members by counting sort, cells in
 * Morton order (so that a walk over the cells keeps memory local whatever the order of the input). O(n); read-only
 * afterwards.
 */
export class CellIndex {
  count = 0
  /** Whole coordinates of each cell. */
  x: Int32Array
  y: Int32Array
  z: Int32Array
  /** Members of cell c are items[start[c]] … items[start[c + 1] − 1]. */
  readonly start: Int32Array
  readonly items: Int32Array
  private readonly table: Int32Array

  /** @param positions interleaved xyz, mm, finite @param edgeMm > 0 */
  constructor(
    positions: Float32Array,
    readonly edgeMm: number,
  ) {
    const n = positions.length / 3
    let size = 16
    while (size < n * 2) size *= 2
    this.table = new Int32Array(size).fill(-1)
    this.x = new Int32Array(n)
    this.y = new Int32Array(n)
    this.z = new Int32Array(n)
    const cellOf = new Int32Array(n)
    const inverse = 1 / edgeMm
    for (let i = 0; i < n; i++) {
      const x = Math.floor(positions[i * 3] * inverse) | 0,
        y = Math.floor(positions[i * 3 + 1] * inverse) | 0,
        z = Math.floor(positions[i * 3 + 2] * inverse) | 0
      const slot = this.slot(x, y, z)
      let cell = this.table[slot]
      if (cell < 0) {
        cell = this.table[slot] = this.count++
        this.x[cell] = x
        this.y[cell] = y
        this.z[cell] = z
      }
      cellOf[i] = cell
    }
    const rank = this.sortCells()
    this.start = new Int32Array(this.count + 1)
    for (let i = 0; i < n; i++) this.start[rank[cellOf[i]] + 1]++
    for (let c = 0; c < this.count; c++) this.start[c + 1] += this.start[c]
    this.items = new Int32Array(n)
    const at = this.start.slice()
    for (let i = 0; i < n; i++) this.items[at[rank[cellOf[i]]]++] = i
  }

  /** Number of the cell at whole coordinates, −1 when it is empty. */
  find(x: number, y: number, z: number): number {
    return this.table[this.slot(x, y, z)]
  }

  /**
   * Numbers of the cells round a place that are not empty, its own among them: all within an edge's length lies there.
   */
  around(x: number, y: number, z: number): number[] {
    const cx = Math.floor(x / this.edgeMm),
      cy = Math.floor(y / this.edgeMm),
      cz = Math.floor(z / this.edgeMm)
    const out: number[] = []
    for (let dz = -1; dz <= 1; dz++)
      for (let dy = -1; dy <= 1; dy++)
        for (let dx = -1; dx <= 1; dx++) {
          const c = this.find(cx + dx, cy + dy, cz + dz)
          if (c >= 0) out.push(c)
        }
    return out
  }

  private slot(x: number, y: number, z: number): number {
    const mask = this.table.length - 1
    let h = Math.imul(x, 73856093) ^ Math.imul(y, 19349663) ^ Math.imul(z, 83492791)
    h ^= h >>> 15
    let slot = h & mask
    for (let c = this.table[slot]; c >= 0; c = this.table[slot]!) {
      if (this.x[c] === x && this.y[c] === y && this.z[c] === z) break
      slot = (slot + 1) & mask
    }
    return slot
  }

  /** Renumbers the cells in Morton order; returns the new number of each old one. */
  private sortCells(): Int32Array {
    const { count } = this
    let minX = Infinity,
      minY = Infinity,
      minZ = Infinity,
      reach = 0
    for (let c = 0; c < count; c++) {
      if (this.x[c] < minX) minX = this.x[c]!
      if (this.y[c] < minY) minY = this.y[c]!
      if (this.z[c] < minZ) minZ = this.z[c]!
    }
    for (let c = 0; c < count; c++) reach = Math.max(reach, this.x[c] - minX, this.y[c] - minY, this.z[c] - minZ)
    let shrink = 1
    while (reach / shrink > 1023) shrink *= 2
    const codes = new Uint32Array(count)
    for (let c = 0; c < count; c++) {
      codes[c] =
        spreadBits((this.x[c] - minX) / shrink) |
        (spreadBits((this.y[c] - minY) / shrink) << 1) |
        (spreadBits((this.z[c] - minZ) / shrink) << 2)
    }
    const order = radixOrder(codes)
    const rank = new Int32Array(count)
    const x = new Int32Array(count),
      y = new Int32Array(count),
      z = new Int32Array(count)
    for (let r = 0; r < count; r++) {
      const c = order[r]
      rank[c] = r
      x[r] = this.x[c]!
      y[r] = this.y[c]!
      z[r] = this.z[c]!
    }
    for (let s = 0; s < this.table.length; s++) if (this.table[s] >= 0) this.table[s] = rank[this.table[s]]!
    this.x = x
    this.y = y
    this.z = z
    return rank
  }
}

/** Ten bits with two zeros after each: one axis of a 30-bit Morton code (Morton 1966). */
export function spreadBits(v: number): number {
  let x = v | 0
  x = (x | (x << 16)) & 0x030000ff
  x = (x | (x << 8)) & 0x0300f00f
  x = (x | (x << 4)) & 0x030c30c3
  return (x | (x << 2)) & 0x09249249
}

/** Order that sorts 30-bit codes ascending, stable: three counting passes of ten bits. */
export function radixOrder(codes: Uint32Array): Uint32Array {
  const n = codes.length
  let order: Uint32Array = new Uint32Array(n)
  for (let i = 0; i < n; i++) order[i] = i
  let next: Uint32Array = new Uint32Array(n)
  for (let shift = 0; shift < 30; shift += 10) {
    const start = new Uint32Array(1025)
    for (let i = 0; i < n; i++) start[((codes[i] >>> shift) & 1023) + 1]++
    for (let k = 0; k < 1024; k++) start[k + 1] += start[k]
    for (let i = 0; i < n; i++) next[start[(codes[order[i]] >>> shift) & 1023]++] = order[i]!
    const swap = order
    order = next
    next = swap
  }
  return order
}
