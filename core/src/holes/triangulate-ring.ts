import { faceCross } from '../linear/face-cross'

/** Rings up to this many points get the best triangulation, O(n³); longer ones are first halved by chords. */
const OPTIMAL_LIMIT = 200
/** Bends, as one less their cosine, that differ by less are alike: the smaller area decides. */
const SAME_BEND = 1e-3

/** A triangle of so little area for the squares of its edges is a line. */
const LINE = 1e-7
/** The bend of a face that is folded back; a line is no better. */
const FOLDED = 2

/** What a ring is filled under. */
export interface RingSurroundings {
  /** Whether two points are joined by an edge of the mesh already: such a chord would become an edge with four faces. */
  readonly isEdge?: (a: number, b: number) => boolean
  /** Unit normal of the mesh's face beyond the edge from `ring[i]` to the next point, three a place; 0, 0, 0 for none. */
  readonly beyond?: Float64Array
  /** Triangles, by their places in the ring, that cross something. */
  readonly isBanned?: (i: number, j: number, k: number) => boolean
}

/**
 * Triangulates a ring of points in space so that the sharpest bend, also against the faces round it, is as small as can
 * be, and among those the area: Liepa 2003, "Filling holes in meshes", section 2, by the recursion of Barequet and
 * Sharir 1995.
 * @param ring numbers of points; one may come twice where two rims were joined by a seam
 * @returns triples of places in the ring that run along it; null where none is allowed
 */
export function triangulateRing(
  positions: Float32Array | Float64Array,
  ring: ArrayLike<number>,
  around: RingSurroundings = {},
): number[] | null {
  const out: number[] = []
  const todo: Int32Array[] = [Int32Array.from({ length: ring.length }, (_, i) => i)]
  while (todo.length > 0) {
    const places = todo.pop()!
    if (places.length < 3) continue
    if (places.length <= OPTIMAL_LIMIT) {
      if (!new Recursion(positions, ring, places, around).solve(out)) return null
    } else {
      const halves = halve(positions, ring, places, around)
      if (!halves) return null
      todo.push(...halves)
    }
  }
  return out
}

/** Cuts along the chord that is shortest; both halves keep a fair share of the ring. */
function halve(
  p: Float32Array | Float64Array,
  ring: ArrayLike<number>,
  places: Int32Array,
  { isEdge }: RingSurroundings,
): [Int32Array, Int32Array] | null {
  const n = places.length
  let best = Infinity
  let cut: [number, number] | null = null
  const least = Math.floor(n / 4)
  const step = Math.max(1, Math.floor(n / 200))
  for (let i = 0; i < n; i += step) {
    for (let j = i + least; j <= i + n - least && j < n; j += step) {
      const u = ring[places[i]],
        v = ring[places[j]]
      const d = Math.hypot(p[u * 3] - p[v * 3], p[u * 3 + 1] - p[v * 3 + 1], p[u * 3 + 2] - p[v * 3 + 2])
      if (d < best && u !== v && !isEdge?.(u, v)) {
        best = d
        cut = [i, j]
      }
    }
  }
  if (!cut) return null
  return [
    places.slice(cut[0], cut[1] + 1),
    Int32Array.from([...places.subarray(cut[1]), ...places.subarray(0, cut[0] + 1)]),
  ]
}

/** The table of best fillings between every two places of one ring. */
class Recursion {
  private readonly n: number
  private readonly bend: Float64Array
  private readonly area: Float64Array
  private readonly via: Int16Array
  /** Unit normal of the triangle on each chord. */
  private readonly normal: Float32Array
  private readonly found = new Float64Array(4)

  constructor(
    private readonly p: Float32Array | Float64Array,
    private readonly ring: ArrayLike<number>,
    private readonly places: Int32Array,
    private readonly around: RingSurroundings,
  ) {
    const n = (this.n = places.length)
    this.bend = new Float64Array(n * n)
    this.area = new Float64Array(n * n)
    this.via = new Int16Array(n * n)
    this.normal = new Float32Array(n * n * 3)
    const { beyond } = around
    if (!beyond) return
    for (let i = 0; i < n; i++) {
      // Halves have a chord among their edges, beyond which nothing is known yet.
      const k = (i + 1) % n
      if (places[k] !== (places[i] + 1) % ring.length) continue
      const at = (i < k ? i * n + k : k * n + i) * 3
      for (let c = 0; c < 3; c++) this.normal[at + c] = beyond[places[i] * 3 + c]
    }
  }

  /** @returns false where there is none */
  solve(out: number[]): boolean {
    const { n, bend, places } = this
    for (let gap = 2; gap < n; gap++) for (let i = 0; i + gap < n; i++) this.fill(i, i + gap)
    if (bend[n - 1] === Infinity) return false
    const stack: number[] = [0, n - 1]
    while (stack.length > 0) {
      const k = stack.pop()!
      const i = stack.pop()!
      if (k - i < 2) continue
      const j = this.via[i * n + k]
      out.push(places[i], places[j], places[k])
      stack.push(i, j, j, k)
    }
    return true
  }

  private fill(i: number, k: number): void {
    const { n, bend, area, via, normal, places, ring, around, found } = this
    const at = i * n + k
    const isRim = i === 0 && k === n - 1
    const u = ring[places[i]],
      w = ring[places[k]]
    bend[at] = Infinity
    if (!isRim && (u === w || around.isEdge?.(u, w))) return
    let least = Infinity,
      smallest = Infinity,
      best = -1,
      x = 0,
      y = 0,
      z = 0
    for (let j = i + 1; j < k; j++) {
      const below = Math.max(bend[i * n + j], bend[j * n + k])
      if (below === Infinity || below > least + SAME_BEND) continue
      const v = ring[places[j]]
      if (v === u || v === w) continue
      this.face(u, v, w)
      const twice = found[3]
      let worst = found[0] === 0 && found[1] === 0 && found[2] === 0 ? Math.max(FOLDED, below) : below
      const first = this.against(i * n + j)
      if (first > worst) worst = first
      const second = this.against(j * n + k)
      if (second > worst) worst = second
      if (isRim) {
        const closing = this.against(at)
        if (closing > worst) worst = closing
      }
      const size = area[i * n + j] + area[j * n + k] + twice
      const isBetter = worst < least - SAME_BEND || (worst <= least + SAME_BEND && size < smallest)
      if (!isBetter || around.isBanned?.(places[i], places[j], places[k])) continue
      least = worst
      smallest = size
      best = j
      x = found[0]
      y = found[1]
      z = found[2]
    }
    if (best < 0) return
    bend[at] = least
    area[at] = smallest
    via[at] = best
    if (isRim) return
    normal[at * 3] = x
    normal[at * 3 + 1] = y
    normal[at * 3 + 2] = z
  }

  /** How far the face just looked at bends against what lies beyond a chord: 0 not at all, 2 folded back. */
  private against(chord: number): number {
    const { normal, found } = this
    const x = normal[chord * 3],
      y = normal[chord * 3 + 1],
      z = normal[chord * 3 + 2]
    if (x === 0 && y === 0 && z === 0) return 0
    return 1 - (x * found[0] + y * found[1] + z * found[2])
  }

  /** Unit normal of a triangle and twice its area; one that is as good as a line has none. */
  private face(a: number, b: number, c: number): void {
    const { p, found } = this
    const twice = faceCross(p, a * 3, b * 3, c * 3, found)
    const scale = twice > LINE * (this.squared(a, b) + this.squared(a, c)) ? 1 / twice : 0
    for (let k = 0; k < 3; k++) found[k] *= scale
    found[3] = twice
  }

  private squared(a: number, b: number): number {
    const { p } = this
    const x = p[a * 3] - p[b * 3],
      y = p[a * 3 + 1] - p[b * 3 + 1],
      z = p[a * 3 + 2] - p[b * 3 + 2]
    return x * x + y * y + z * z
  }
}
