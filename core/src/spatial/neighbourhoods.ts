import { WHOLE, type Part } from '../parallel/part'
import { CellIndex } from './cell-index'
import { KdTree } from './kd-tree'

/**
 * Points wanted in an occupied cell: with about eight, the block of 27 cells holds the 20 nearest of nearly every
 * surface point.
 */
const POINTS_PER_CELL = 8
/**
 * The first guess of a point's reach is its predecessor's times this; too small a guess is made again with a sure
 * bound.
 */
const GUESS = 1.12
/** Cells that are visited in one go; shares of work begin at such places. */
const STRETCH = 1024

/**
 * Calls back once for every point with its k nearest neighbours, in an order that keeps memory local.
 *
 * Points are sorted into cells; for each cell its block of 27 cells is gathered once into plain arrays, and every
 * member searches only there. All points of the block within a guessed reach are taken (without a branch), then the
 * farthest are dropped until k are left. Where the block cannot prove the answer (sparse places, strays) a kd-tree
 * takes over, so the result is exact everywhere.
 *
 * @param each (i, ids, distance2, found): the neighbours of point i, itself among them, ascending by distance when
 * `sorted`, else in no order; the
 *   arrays are reused, so copy what is kept. `found` < k only where the cloud has fewer points.
 *   `place` is the point's place in the order of the cells, the same however the work is shared.
 * @param tick called every thousand points with how many are done
 * @param part which share of the points to visit; all shares together give, bit for bit, what the whole does
 */
export function forEachNeighbourhood(
  positions: Float32Array,
  k: number,
  sorted: boolean,
  each: (i: number, ids: Int32Array, distance2: Float64Array, found: number, place: number) => void,
  tick: (done: number) => void,
  part: Part = WHOLE,
): void {
  const cells = fittingCells(positions)
  const { start, items, edgeMm } = cells
  const own = inCellOrder(positions, cells)
  const block = new CellBlock()
  const ids = new Int32Array(k)
  const d2 = new Float64Array(k)
  let tree: KdTree | undefined
  let done = 0
  let lastReach = edgeMm / 2
  const stretches = Math.ceil(cells.count / STRETCH)
  const first = Math.floor((stretches * part.index) / part.of) * STRETCH,
    end = Math.min(cells.count, Math.floor((stretches * (part.index + 1)) / part.of) * STRETCH)
  for (let c = first; c < end; c++) {
    // The guess begins anew with each stretch, so that no share depends on another.
    if (c % STRETCH === 0) lastReach = edgeMm / 2
    block.gather(cells, c, own)
    const lowX = (cells.x[c] - 1) * edgeMm,
      lowY = (cells.y[c] - 1) * edgeMm,
      lowZ = (cells.z[c] - 1) * edgeMm
    const span = 3 * edgeMm
    for (let s = start[c]; s < start[c + 1]; s++) {
      if ((done++ & 1023) === 0) tick(done)
      const px = own[s * 3],
        py = own[s * 3 + 1],
        pz = own[s * 3 + 2]
      const inX = px - lowX,
        inY = py - lowY,
        inZ = pz - lowZ
      // How far the block reaches round the point; a hair less, for the rounding of cell borders.
      const border = Math.min(inX, span - inX, inY, span - inY, inZ, span - inZ) * 0.9999
      let found = block.nearest(px, py, pz, Math.min(border, lastReach * GUESS), k, ids, d2)
      if (found < k && lastReach * GUESS < border) found = block.nearest(px, py, pz, border, k, ids, d2)
      if (found < k) {
        tree ??= new KdTree(positions)
        found = tree.knn(px, py, pz, k, ids, d2)
      } else if (sorted) sortByDistance(ids, d2, found)
      let worst = 0
      for (let j = 0; j < found; j++) if (d2[j] > worst) worst = d2[j]!
      lastReach = Math.sqrt(worst)
      each(items[s], ids, d2, found, s)
    }
  }
}

/** Coordinates in the order of the cells' members, for `CellBlock.gather`. */
export function inCellOrder(positions: Float32Array, cells: CellIndex): Float32Array {
  const own = new Float32Array(positions.length)
  for (let s = 0; s < cells.items.length; s++) {
    const p = cells.items[s] * 3
    own[s * 3] = positions[p]!
    own[s * 3 + 1] = positions[p + 1]!
    own[s * 3 + 2] = positions[p + 2]!
  }
  return own
}

/** The points of 27 cells as plain arrays, and searches among them. */
export class CellBlock {
  /** What `within` found. */
  ids = new Int32Array(1024)
  private room = 1024
  private count = 0
  private xyz = new Float32Array(3 * 1024)
  private id = new Int32Array(1024)
  private taken = new Float64Array(1025)
  private takenAt = new Int32Array(1025)

  gather(cells: CellIndex, c: number, own: Float32Array): void {
    const cx = cells.x[c],
      cy = cells.y[c],
      cz = cells.z[c]
    let m = 0
    for (let dz = -1; dz <= 1; dz++)
      for (let dy = -1; dy <= 1; dy++)
        for (let dx = -1; dx <= 1; dx++) {
          const other = cells.find(cx + dx, cy + dy, cz + dz)
          if (other < 0) continue
          const from = cells.start[other],
            to = cells.start[other + 1]
          if (m + to - from > this.room) this.grow(m + to - from)
          const { xyz, id } = this
          for (let s = from; s < to; s++, m++) {
            xyz[m * 3] = own[s * 3]!
            xyz[m * 3 + 1] = own[s * 3 + 1]!
            xyz[m * 3 + 2] = own[s * 3 + 2]!
            id[m] = cells.items[s]!
          }
        }
    this.count = m
  }

  private grow(least: number): void {
    this.room = Math.max(this.room * 2, least)
    const xyz = new Float32Array(this.room * 3)
    xyz.set(this.xyz)
    this.xyz = xyz
    const id = new Int32Array(this.room)
    id.set(this.id)
    this.id = id
    this.taken = new Float64Array(this.room + 1)
    this.takenAt = new Int32Array(this.room + 1)
    this.ids = new Int32Array(this.room)
  }

  /** All points strictly within `reach`, into `ids`; returns how many. */
  within(px: number, py: number, pz: number, reach: number): number {
    const n = this.take(px, py, pz, reach * reach)
    for (let j = 0; j < n; j++) this.ids[j] = this.id[this.takenAt[j]]!
    return n
  }

  private take(px: number, py: number, pz: number, limit: number): number {
    const { xyz, taken, takenAt } = this
    let n = 0
    for (let j = 0, at = 0, e = this.count; j < e; j++, at += 3) {
      const dx = xyz[at] - px,
        dy = xyz[at + 1] - py,
        dz = xyz[at + 2] - pz
      const d = dx * dx + dy * dy + dz * dz
      taken[n] = d
      takenAt[n] = j
      n += d < limit ? 1 : 0
    }
    return n
  }

  /** The k nearest strictly within `reach`, in no order, into ids and d2; fewer when there are not k. */
  nearest(px: number, py: number, pz: number, reach: number, k: number, ids: Int32Array, d2: Float64Array): number {
    const { id, taken, takenAt } = this
    let n = this.take(px, py, pz, reach * reach)
    while (n > k) {
      let far = 0
      let most = taken[0]
      for (let j = 1; j < n; j++)
        if (taken[j] > most) {
          most = taken[j]!
          far = j
        }
      n--
      taken[far] = taken[n]!
      takenAt[far] = takenAt[n]!
    }
    for (let j = 0; j < n; j++) {
      ids[j] = id[takenAt[j]]!
      d2[j] = taken[j]!
    }
    return n
  }
}

function sortByDistance(ids: Int32Array, d2: Float64Array, n: number): void {
  for (let i = 1; i < n; i++) {
    const d = d2[i]
    const id = ids[i]
    let j = i
    while (j > 0 && d2[j - 1] > d) {
      d2[j] = d2[j - 1]!
      ids[j] = ids[j - 1]!
      j--
    }
    d2[j] = d
    ids[j] = id
  }
}

/**
 * Cells of an edge that puts about the wanted number of points in one: two tries, since a surface's count grows with
 * the square of the edge.
 */
export function fittingCells(positions: Float32Array, pointsPerCell = POINTS_PER_CELL): CellIndex {
  const n = positions.length / 3
  const min = [Infinity, Infinity, Infinity],
    max = [-Infinity, -Infinity, -Infinity]
  for (let i = 0; i < positions.length; i++) {
    const v = positions[i]
    if (v < min[i % 3]) min[i % 3] = v
    if (v > max[i % 3]) max[i % 3] = v
  }
  const size = Math.hypot(max[0] - min[0], max[1] - min[1], max[2] - min[2])
  // A whole coordinate must stay within 31 bits.
  const least = Math.max(1e-30, Math.max(...max.map(Math.abs), ...min.map(Math.abs)) / 2 ** 30)
  let cells = new CellIndex(positions, Math.max(least, (size || 1) * Math.sqrt(pointsPerCell / Math.max(n, 1))))
  for (let round = 0; round < 3; round++) {
    const held = n / Math.max(1, cells.count)
    if (held > pointsPerCell / 1.15 && held < pointsPerCell * 1.15) break
    cells = new CellIndex(positions, Math.max(least, cells.edgeMm * Math.sqrt(pointsPerCell / held)))
  }
  return cells
}
