/**
 * A dot stuck on the piece or lying on the table: a white disc with a black ring; it has no thickness worth the name.
 */
export interface DotPlace {
  readonly space: 'piece' | 'table'
  readonly at: readonly [number, number, number]
  readonly normal: readonly [number, number, number]
  readonly radiusMm: number
}

/** The ring round the white disc reaches this many radii. */
export const RING = 1.6

/**
 * Which of the dots of one space holds a point of the surface: 0 none, 1 white, 2 black. `table` holds x, y, z, radius
 * for each.
 */
export function dotTone(table: Float64Array, x: number, y: number, z: number): 0 | 1 | 2 {
  for (let i = 0; i < table.length; i += 4) {
    const dx = x - table[i],
      dy = y - table[i + 1],
      dz = z - table[i + 2]
    const r = table[i + 3]
    const d = dx * dx + dy * dy + dz * dz
    if (d < r * r) return 1
    if (d < r * r * RING * RING) return 2
  }
  return 0
}

/** Dots of one space as rows of numbers: place in mm, normal, radius in mm. */
export function dotTable(dots: readonly DotPlace[], space: DotPlace['space']): Float64Array {
  return Float64Array.from(dots.filter((d) => d.space === space).flatMap((d) => [...d.at, d.radiusMm]))
}
