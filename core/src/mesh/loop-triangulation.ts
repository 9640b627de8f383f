import { faceCross } from '../linear/face-cross'

/** Loops up to this many vertices get the optimal triangulation, O(n³); longer ones are first halved by chords. */
const OPTIMAL_LIMIT = 220

/**
 * Triangulates a loop in space with the least area: Barequet and Sharir 1995, "Filling gaps in the boundary of a
 * polyhedron".
 * @param isEdge whether two points of the loop are joined by an edge of the mesh already: such a chord would become an
 * edge with four faces, and is not used
 * @returns corner triples that run along the loop; null where every triangulation needs such a chord
 */
export function triangulateLoop(
  positions: Float64Array,
  loop: Int32Array,
  isEdge: (a: number, b: number) => boolean = () => false,
): number[] | null {
  const out: number[] = []
  const todo: number[][] = [Array.from(loop)]
  while (todo.length > 0) {
    const ring = todo.pop()!
    if (ring.length < 3) continue
    if (ring.length <= OPTIMAL_LIMIT) {
      if (!optimal(positions, ring, out, isEdge)) return null
    } else {
      const halves = halve(positions, ring, isEdge)
      if (!halves) return null
      todo.push(...halves)
    }
  }
  return out
}

/** Cuts along the chord that is shortest for the walk it saves; both halves keep a fair share of the ring. */
function halve(
  p: Float64Array,
  ring: number[],
  isEdge: (a: number, b: number) => boolean,
): [number[], number[]] | null {
  const n = ring.length
  let best = Infinity
  let cut: [number, number] | null = null
  const least = Math.floor(n / 4)
  const step = Math.max(1, Math.floor(n / 200))
  for (let i = 0; i < n; i += step) {
    for (let j = i + least; j <= i + n - least && j < n; j += step) {
      const a = ring[i] * 3,
        b = ring[j] * 3
      const d = Math.hypot(p[a] - p[b], p[a + 1] - p[b + 1], p[a + 2] - p[b + 2])
      if (d < best && !isEdge(ring[i], ring[j])) {
        best = d
        cut = [i, j]
      }
    }
  }
  if (!cut) return null
  return [ring.slice(cut[0], cut[1] + 1), ring.slice(cut[1]).concat(ring.slice(0, cut[0] + 1))]
}

/** @returns false when there is none */
function optimal(p: Float64Array, ring: number[], out: number[], isEdge: (a: number, b: number) => boolean): boolean {
  const n = ring.length
  const cost = new Float64Array(n * n)
  const via = new Int16Array(n * n)
  const cross = new Float64Array(3)
  const area = (i: number, j: number, k: number): number => {
    const a = ring[i] * 3,
      b = ring[j] * 3,
      c = ring[k] * 3
    return faceCross(p, a, b, c, cross)
  }
  for (let gap = 2; gap < n; gap++) {
    for (let i = 0; i + gap < n; i++) {
      const k = i + gap
      // The last one closes the ring: it is the rim itself.
      if (gap < n - 1 && isEdge(ring[i], ring[k])) {
        cost[i * n + k] = Infinity
        continue
      }
      let least = Infinity
      let best = i + 1
      for (let j = i + 1; j < k; j++) {
        const c = cost[i * n + j] + cost[j * n + k] + area(i, j, k)
        if (c < least) {
          least = c
          best = j
        }
      }
      cost[i * n + k] = least
      via[i * n + k] = best
    }
  }
  if (cost[n - 1] === Infinity) return false
  const stack: number[] = [0, n - 1]
  while (stack.length > 0) {
    const k = stack.pop()!
    const i = stack.pop()!
    if (k - i < 2) continue
    const j = via[i * n + k]
    out.push(ring[i], ring[j], ring[k])
    stack.push(i, j, j, k)
  }
  return true
}
