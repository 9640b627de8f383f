import type { TriangleMesh } from '../shapes'

/** Shortest way along edges from marked vertices, mm, as far as `most`; Infinity beyond. */
export function wayFrom({ positions: p, indices }: TriangleMesh, marked: Uint8Array, most: number): Float32Array {
  const way = Float32Array.from(marked, (m) => (m ? 0 : Infinity))
  for (let changed = true; changed;) {
    changed = false
    for (let i = 0; i < indices.length; i++) {
      const a = indices[i],
        b = indices[i % 3 === 2 ? i - 2 : i + 1]
      const nearer = way[a] < way[b] ? a : b
      if (!(way[nearer] < most)) continue
      const other = nearer === a ? b : a
      if (way[other] === 0) continue
      const x = p[a * 3] - p[b * 3],
        y = p[a * 3 + 1] - p[b * 3 + 1],
        z = p[a * 3 + 2] - p[b * 3 + 2]
      const through = Math.fround(way[nearer] + Math.sqrt(x * x + y * y + z * z))
      if (through < way[other]) {
        way[other] = through
        changed = true
      }
    }
  }
  return way
}
