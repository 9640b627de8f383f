import type { Chart } from './lay-flat'

/** Cells of the grid its border is looked through with: a chart of n faces has about √n edges there. */
const CELLS_A_SIDE = 0.5

/**
 * Whether a chart laid flat covers any place twice: its border crosses itself, or the middle of a face lies in another
 * one. With all faces the right way up, a border that does not cross itself bounds every place once (the degree of the
 * map is the winding of its border); the middles tell of sheets whose borders fall together.
 */
export function coversTwice({ faces, border, places, widthMm, heightMm }: Chart, indices: Uint32Array): boolean {
  const n = faces.length
  if (n < 2) return false
  const across = Math.max(1, Math.min(1024, Math.round(CELLS_A_SIDE * Math.sqrt(n))))
  const down = across
  const cellOf = (u: number, wide: number, cells: number): number =>
    Math.max(0, Math.min(cells - 1, Math.floor((u / (wide || 1)) * cells)))
  const grid = new Map<number, number[]>()
  const put = (
    item: number,
    low: [number, number],
    high: [number, number],
    check: (other: number) => boolean,
  ): boolean => {
    for (let y = cellOf(low[1], heightMm, down); y <= cellOf(high[1], heightMm, down); y++)
      for (let x = cellOf(low[0], widthMm, across); x <= cellOf(high[0], widthMm, across); x++) {
        const list = grid.get(y * across + x)
        if (!list) grid.set(y * across + x, [item])
        else {
          for (const other of list) if (check(other)) return true
          list.push(item)
        }
      }
    return false
  }
  const at = (k: number): [number, number] => [places[k * 2], places[k * 2 + 1]]
  const low = (...of: [number, number][]): [number, number] => [
    Math.min(...of.map((o) => o[0])),
    Math.min(...of.map((o) => o[1])),
  ]
  const high = (...of: [number, number][]): [number, number] => [
    Math.max(...of.map((o) => o[0])),
    Math.max(...of.map((o) => o[1])),
  ]
  for (const k of border) {
    const next = k - (k % 3) + ((k + 1) % 3)
    const [a, b] = [at(k), at(next)]
    const vertex = (i: number): number => indices[faces[Math.floor(i / 3)] * 3 + (i % 3)]
    const crosses = (other: number): boolean => {
      const end = other - (other % 3) + ((other + 1) % 3)
      const own = [vertex(k), vertex(next)]
      if (own.includes(vertex(other)) || own.includes(vertex(end))) return false
      return segmentsCross(a, b, at(other), at(end))
    }
    if (put(k, low(a, b), high(a, b), crosses)) return true
  }
  return middlesInOthers(places, n, widthMm, heightMm)
}

/** Whether the middle of any face lies in another one; middles are sorted into cells of about one each. */
function middlesInOthers(p: Float64Array, n: number, widthMm: number, heightMm: number): boolean {
  const across = Math.max(1, Math.min(n, Math.round(Math.sqrt(n * (widthMm / (heightMm || 1e-9))))))
  const down = Math.max(1, Math.ceil(n / across))
  const column = (u: number): number => Math.max(0, Math.min(across - 1, Math.floor((u / (widthMm || 1)) * across)))
  const row = (v: number): number => Math.max(0, Math.min(down - 1, Math.floor((v / (heightMm || 1)) * down)))
  const middles = new Float64Array(n * 2),
    cells = new Int32Array(n)
  const start = new Int32Array(across * down + 1)
  for (let i = 0; i < n; i++) {
    const k = i * 6
    middles[i * 2] = (p[k] + p[k + 2] + p[k + 4]) / 3
    middles[i * 2 + 1] = (p[k + 1] + p[k + 3] + p[k + 5]) / 3
    cells[i] = row(middles[i * 2 + 1]) * across + column(middles[i * 2])
    start[cells[i] + 1]++
  }
  for (let c = 0; c < across * down; c++) start[c + 1] += start[c]
  const items = new Int32Array(n),
    next = start.slice()
  for (let i = 0; i < n; i++) items[next[cells[i]]++] = i
  for (let i = 0; i < n; i++) {
    const k = i * 6
    const [ax, ay, bx, by, cx, cy] = [p[k], p[k + 1], p[k + 2], p[k + 3], p[k + 4], p[k + 5]]
    const x1 = column(Math.max(ax, bx, cx)),
      y1 = row(Math.max(ay, by, cy))
    for (let y = row(Math.min(ay, by, cy)); y <= y1; y++)
      for (let x = column(Math.min(ax, bx, cx)); x <= x1; x++)
        for (let j = start[y * across + x]; j < start[y * across + x + 1]; j++) {
          const other = items[j]
          if (other === i) continue
          const u = middles[other * 2],
            v = middles[other * 2 + 1]
          if (
            (bx - ax) * (v - ay) - (by - ay) * (u - ax) > 0 &&
            (cx - bx) * (v - by) - (cy - by) * (u - bx) > 0 &&
            (ax - cx) * (v - cy) - (ay - cy) * (u - cx) > 0
          )
            return true
        }
  }
  return false
}

const side = (a: readonly number[], b: readonly number[], c: readonly number[]): number =>
  (b[0] - a[0]) * (c[1] - a[1]) - (b[1] - a[1]) * (c[0] - a[0])

const segmentsCross = (a: number[], b: number[], c: number[], d: number[]): boolean =>
  side(a, b, c) * side(a, b, d) < 0 && side(c, d, a) * side(c, d, b) < 0
