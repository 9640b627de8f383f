/** Space that was seen to be empty. */
export interface FreeSpace {
  /**
   * How far a place stands in it, mm, 0 where it does not; and which way it leaves it, of length 1, into `out`: mm, x, y,
   * z.
   */
  (x: number, y: number, z: number, out: Float64Array): void
}

/** Rounds of drawing the membrane tight and pushing it out of free space; the last ones only push. */
const ROUNDS = 120
const PUSHES = 4
/** How far a point goes to the middle of its neighbours in a round. */
const TIGHT = 0.5

/**
 * Lays the new points of a patch out of space that was seen to be empty, tight as a membrane elsewhere: an obstacle
 * problem, relaxed point by point with the obstacle put back after each round (projected Gauss–Seidel; Glowinski 1984,
 * Numerical methods for nonlinear variational problems).
 * @param p all points, x, y, z; those from `first` on are moved @param neighbours of each new point, by their numbers
 * @returns the share of them that still stands in free space
 */
export function layBehind(
  p: Float64Array,
  first: number,
  neighbours: readonly Int32Array[],
  inFree: FreeSpace,
): number {
  const out = new Float64Array(4)
  const count = neighbours.length
  const push = (v: number): boolean => {
    inFree(p[v], p[v + 1], p[v + 2], out)
    if (!(out[0] > 0)) return false
    for (let c = 0; c < 3; c++) p[v + c] += out[0] * out[c + 1]
    return true
  }
  const touched = new Uint8Array(count)
  for (let i = 0; i < count; i++) touched[i] = push((first + i) * 3) ? 1 : 0
  if (!touched.includes(1)) return 0
  for (let round = 0; round < ROUNDS; round++)
    for (let i = 0; i < count; i++) {
      const v = (first + i) * 3
      const list = neighbours[i]
      if (round < ROUNDS - PUSHES && list.length > 0)
        for (let c = 0; c < 3; c++) {
          let middle = 0
          for (const w of list) middle += p[w * 3 + c] / list.length
          p[v + c] += TIGHT * (middle - p[v + c])
        }
      push(v)
    }
  let left = 0
  for (let i = 0; i < count; i++) {
    const v = (first + i) * 3
    inFree(p[v], p[v + 1], p[v + 2], out)
    if (out[0] > 0) left++
  }
  return left / count
}
