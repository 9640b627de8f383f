import { checkpoint, type RunContext } from '../context'
import type { Chart } from './lay-flat'

/** Where a chart stands on the sheet, in cells: turned by so many quarters, its lower left corner, its own height. */
export interface Placed {
  readonly quarter: 0 | 1
  readonly x: number
  readonly y: number
  readonly rows: number
}

/** What a chart covers, cell by cell: which of each row's words' bits. */
interface Mask {
  readonly width: number
  readonly height: number
  /** For each row the runs of cells: begin, end, begin, end … */
  readonly runs: readonly Int32Array[]
}

/**
 * Packs charts on a sheet so many cells wide, the largest first, each at the lowest place where none of its cells is
 * taken, upright or on its side; whole rows are tried at once as bits (bitmap packing; after Lévy et al. 2002).
 * @param cellMm edge of a cell @param marginMm kept free round each
 * @returns places, and how many rows of cells are used
 */
export function packCharts(
  charts: readonly Chart[],
  cells: number,
  cellMm: number,
  marginMm: number,
  context: RunContext,
): { placed: Placed[]; rows: number } {
  const words = Math.ceil(cells / 32)
  const sheet: Uint32Array[] = []
  const rowAt = (y: number): Uint32Array => {
    while (sheet.length <= y) sheet.push(new Uint32Array(words))
    return sheet[y]
  }
  const placed: Placed[] = charts.map(() => ({ quarter: 0, x: 0, y: 0, rows: 0 }))
  const order = charts.map((_, i) => i)
  order.sort((a, b) => charts[b].heightMm + charts[b].widthMm - charts[a].heightMm - charts[a].widthMm)
  // Where no chart of such a size fitted, none as large does.
  const from = new Map<number, number>()
  const blocked = new Uint32Array(words),
    wide = new Uint32Array(words)
  let rows = 0
  order.forEach((i, n) => {
    if (n % 64 === 0) checkpoint(context, n, order.length, 'Packing the charts')
    const upright = maskOf(charts[i], cellMm, marginMm)
    const masks = [upright, turned(upright)].filter((m) => m.width <= cells)
    const key = Math.min(upright.width, upright.height) * 4096 + Math.max(upright.width, upright.height)
    for (let y = from.get(key) ?? 0; ; y++) {
      let best: { quarter: 0 | 1; x: number; mask: Mask } | null = null
      for (const mask of masks) {
        blocked.fill(0)
        for (let r = 0; r < mask.height; r++) {
          const taken = sheet[y + r] as Uint32Array | undefined
          if (!taken) break
          const runs = mask.runs[r]
          for (let k = 0; k < runs.length; k += 2) {
            // A run of cells is blocked where any of so many cells is taken: doubled, not one after the other.
            wide.set(taken)
            let length = 1
            const all = runs[k + 1] - runs[k]
            for (; length * 2 <= all; length *= 2) orShifted(wide, wide, length)
            if (length < all) orShifted(wide, wide, all - length)
            orShifted(blocked, wide, runs[k])
          }
          if (firstFree(blocked, cells - mask.width) < 0) break
        }
        const x = firstFree(blocked, cells - mask.width)
        if (x >= 0 && (!best || x < best.x)) best = { quarter: mask === upright ? 0 : 1, x, mask }
      }
      if (!best) continue
      const { mask, x } = best
      placed[i] = { quarter: best.quarter, x, y, rows: upright.height }
      for (let r = 0; r < mask.height; r++) {
        const row = rowAt(y + r)
        const runs = mask.runs[r]
        for (let k = 0; k < runs.length; k += 2)
          for (let c = x + runs[k]; c < x + runs[k + 1]; c++) row[c >> 5] |= 1 << (c & 31)
      }
      rows = Math.max(rows, y + mask.height)
      from.set(key, y)
      break
    }
  })
  return { placed, rows }
}

/**
 * blocked[x] |= taken[x + by]: a chart at x would lay a cell of its column `by` there. Both may be one: words are read
 * before those they come from are written.
 */
function orShifted(blocked: Uint32Array, taken: Uint32Array, by: number): void {
  const skip = by >> 5,
    bits = by & 31
  for (let w = 0; w + skip < taken.length; w++) {
    let v = taken[w + skip] >>> bits
    if (bits > 0 && w + skip + 1 < taken.length) v |= taken[w + skip + 1] << (32 - bits)
    blocked[w] |= v
  }
}

/** The first place up to `last` that is not blocked; −1 where there is none. */
function firstFree(blocked: Uint32Array, last: number): number {
  for (let w = 0; w * 32 <= last; w++) {
    const free = ~blocked[w] >>> 0
    if (free === 0) continue
    const x = w * 32 + 31 - Math.clz32(free & -free)
    if (x <= last) return x
  }
  return -1
}

/** Which cells a chart touches, with a margin round it. */
function maskOf({ places, widthMm, heightMm }: Chart, cellMm: number, marginMm: number): Mask {
  const width = Math.max(1, Math.ceil((widthMm + 2 * marginMm) / cellMm)),
    height = Math.max(1, Math.ceil((heightMm + 2 * marginMm) / cellMm))
  const cells = new Uint8Array(width * height)
  const corner = new Float64Array(6)
  for (let k = 0; k < places.length; k += 6) {
    for (let c = 0; c < 6; c++) corner[c] = (places[k + c] + marginMm) / cellMm
    touch(cells, width, height, corner, marginMm / cellMm)
  }
  const runs: Int32Array[] = []
  for (let y = 0; y < height; y++) {
    const row: number[] = []
    for (let x = 0; x < width; x++) {
      const is = cells[y * width + x] === 1
      if (is !== (row.length % 2 === 1)) row.push(x)
    }
    if (row.length % 2 === 1) row.push(width)
    runs.push(Int32Array.from(row))
  }
  return { width, height, runs }
}

/** Marks the cells within a margin of a triangle: of those in its box, all that no side of it has wholly outside. */
function touch(cells: Uint8Array, width: number, height: number, t: Float64Array, margin: number): void {
  const x0 = Math.max(0, Math.floor(Math.min(t[0], t[2], t[4]) - margin)),
    x1 = Math.min(width - 1, Math.floor(Math.max(t[0], t[2], t[4]) + margin)),
    y0 = Math.max(0, Math.floor(Math.min(t[1], t[3], t[5]) - margin)),
    y1 = Math.min(height - 1, Math.floor(Math.max(t[1], t[3], t[5]) + margin))
  // Most faces are smaller than a cell and its margin.
  if (x0 === x1 && y0 === y1) {
    cells[y0 * width + x0] = 1
    return
  }
  for (let y = y0; y <= y1; y++)
    for (let x = x0; x <= x1; x++) {
      if (cells[y * width + x] === 1) continue
      let outside = false
      for (let c = 0; c < 6 && !outside; c += 2) {
        const ax = t[c],
          ay = t[c + 1],
          dx = t[(c + 2) % 6] - ax,
          dy = t[(c + 3) % 6] - ay
        // Of the cell's corners the one farthest in is farther out than the margin.
        const cx = x + (dy < 0 ? 1 : 0),
          cy = y + (dx > 0 ? 1 : 0)
        outside = dx * (cy - ay) - dy * (cx - ax) < -margin * Math.sqrt(dx * dx + dy * dy)
      }
      if (!outside) cells[y * width + x] = 1
    }
}

/** A quarter turn: what was to the right is up. */
function turned({ width, height, runs }: Mask): Mask {
  const columns: number[][] = Array.from({ length: width }, () => [])
  for (let y = 0; y < height; y++) {
    // x, y → height − 1 − y, x
    const row = runs[height - 1 - y]
    for (let k = 0; k < row.length; k += 2)
      for (let x = row[k]; x < row[k + 1]; x++) {
        const to = columns[x]
        if (to.length > 0 && to[to.length - 1] === y) to[to.length - 1] = y + 1
        else to.push(y, y + 1)
      }
  }
  return { width: height, height: width, runs: columns.map((c) => Int32Array.from(c)) }
}
