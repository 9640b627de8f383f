import { checkpoint, type RunContext } from '../context'
import { boundsOf, type TriangleMesh } from '../shapes'
import { HalfEdgeMesh } from '../mesh/half-edge-mesh'
import { CostHeap } from '../spatial/cost-heap'
import { Quadrics } from './quadrics'

export interface CollapseOptions {
  /** Stops at so many faces. */
  readonly faces: number
  /** No edge goes that would carry the surface farther than this, mm. */
  readonly deviationMm: number
  /** 1 for points that stay where they are. */
  readonly locked?: Uint8Array
}

export interface Collapsed {
  readonly positions: Float32Array
  readonly indices: Uint32Array
  /** For each point that is left, the one of the input it was merged into. */
  readonly kept: Int32Array
  /** For each point of the input, the point that is left of it. */
  readonly became: Int32Array
}

/** A face may turn by so much (cosine) when a corner of it moves. */
const MOST_TURN = 0.25
/** Of 1 for an even face: no face gets worse than this, unless one beside it was. */
const LEAST_QUALITY = 0.03
const TICK = 20_000

/**
 * Takes edges away, the cheapest first, each for one point where the quadrics of its ends are least and the volume
 * stays. Costs are told anew only when an edge's turn has come: what edges cost grows as the planes round their ends
 * do. No face turns over, none becomes a sliver, the surface stays of its kind, borders stay where they are.
 *
 * @param mesh a manifold, points that coincide made one
 */
export function collapseEdges(mesh: TriangleMesh, options: CollapseOptions, context: RunContext): Collapsed {
  const run = new Collapse(mesh, options)
  run.toEnd(context)
  return run.outcome()
}

class Collapse {
  private readonly half: HalfEdgeMesh
  private readonly p: Float64Array
  private readonly quadrics: Quadrics
  private readonly heap: CostHeap
  /** When an end, or the cost of an edge, was changed last. */
  private readonly changed: Int32Array
  private readonly told: Int32Array
  private readonly fixed: Uint8Array
  /** How far, at most, the surface at a point lies from where it was, mm. */
  private readonly away: Float32Array
  private readonly into: Int32Array
  private faces: number
  private clock = 1
  /** Sum of the faces' cross products round an edge, and the volume they enclose with the middle of the mesh. */
  private readonly pull = new Float64Array(4)
  private worst = 1
  private farthest = 0

  constructor(
    mesh: TriangleMesh,
    private readonly options: CollapseOptions,
  ) {
    this.half = new HalfEdgeMesh(mesh)
    this.p = Float64Array.from(mesh.positions)
    const { min, max } = boundsOf(mesh.positions)
    this.quadrics = new Quadrics(mesh, [(min[0] + max[0]) / 2, (min[1] + max[1]) / 2, (min[2] + max[2]) / 2])
    const points = mesh.positions.length / 3
    this.heap = new CostHeap(mesh.indices.length)
    this.changed = new Int32Array(points)
    this.told = new Int32Array(mesh.indices.length)
    this.away = new Float32Array(points)
    this.into = Int32Array.from({ length: points }, (_, v) => v)
    this.faces = mesh.indices.length / 3
    this.fixed = options.locked ? options.locked.slice() : new Uint8Array(points)
    for (let v = 0; v < points; v++) if (this.half.isBorderPoint(v)) this.fixed[v] = 1
    for (let h = 0; h < mesh.indices.length; h++) {
      const t = this.half.twin(h)
      if (t < h) continue
      if (this.fixed[this.half.origin(h)] && this.fixed[this.half.tip(h)]) continue
      this.heap.append(h, this.cost(h))
    }
    this.heap.order()
  }

  toEnd(context: RunContext): void {
    const { heap, half, told, changed, options } = this
    const first = this.faces
    let looks = 0
    while (this.faces > options.faces && heap.size > 0) {
      if (looks++ % TICK === 0)
        checkpoint(context, first - this.faces, Math.max(1, first - Math.max(4, options.faces)), 'Taking edges away')
      const h = heap.top()
      if (half.isGone(h)) {
        heap.pop()
        continue
      }
      const a = half.origin(h),
        b = half.tip(h)
      if (told[h] < changed[a] || told[h] < changed[b]) {
        const cost = this.cost(h)
        told[h] = this.clock
        if (cost > heap.secondCost()) {
          heap.setTop(cost)
          continue
        }
      }
      heap.pop()
      this.take(h)
    }
  }

  /** Of the half-edge; leaves the place it would become in `quadrics.at`. */
  private cost(h: number): number {
    const { half, fixed, quadrics } = this
    const a = half.origin(h),
      b = half.tip(h)
    const cost = quadrics.least(a, b, this.p)
    // Held at one end: what the quadrics say there is not told apart; the cost orders, the tests below decide.
    return fixed[a] || fixed[b] ? cost * 4 : cost
  }

  private take(h: number): void {
    const { half, fixed, p, quadrics } = this
    if (!half.canCollapse(h)) return
    const a = half.origin(h),
      b = half.tip(h)
    if (fixed[a] && fixed[b]) return
    const at = quadrics.at
    const held = fixed[a] ? a : fixed[b] ? b : -1
    if (held >= 0) {
      for (let c = 0; c < 3; c++) at[c] = p[held * 3 + c]
    } else {
      quadrics.least(a, b, p)
      this.gather(a, b)
      const x = at[0],
        y = at[1],
        z = at[2]
      quadrics.leastOn(this.pull[0], this.pull[1], this.pull[2], this.pull[3])
      const length = this.squared(a, b)
      const step = (at[0] - x) ** 2 + (at[1] - y) ** 2 + (at[2] - z) ** 2
      if (!(step <= length)) {
        at[0] = x
        at[1] = y
        at[2] = z
      }
    }
    // As the points will be kept.
    for (let c = 0; c < 3; c++) at[c] = Math.fround(at[c])
    this.worst = Infinity
    this.farthest = 0
    let old = this.stays(a, b)
    if (old < 0) return
    const other = this.stays(b, a)
    if (other < 0) return
    old = Math.min(old, other)
    if (this.worst < LEAST_QUALITY && this.worst < old) return
    const away = Math.max(this.away[a], this.away[b], this.farthest)
    if (away > this.options.deviationMm) return
    // The half-edge shrinks to its tip.
    const [gone, kept] = [a, b]
    this.faces -= half.twin(h) < 0 ? 1 : 2
    half.shrink(h)
    quadrics.merge(gone, kept)
    this.into[gone] = kept
    if (fixed[gone]) fixed[kept] = 1
    this.away[kept] = away
    for (let c = 0; c < 3; c++) p[kept * 3 + c] = at[c]
    this.changed[kept] = ++this.clock
    this.refill(kept)
  }

  /** Edges at a point that do not stand in the heap come back into it: two became one, or one can go now. */
  private refill(v: number): void {
    const { half, fixed } = this
    const start = half.first(v)
    for (let h = start; h >= 0;) {
      this.enter(h, fixed[v] === 1)
      const on = half.onward(h)
      if (on < 0) this.enter(half.previousOf(h), fixed[v] === 1)
      h = on
      if (h === start) break
    }
  }
  private enter(h: number, isFixed: boolean): void {
    const { half, heap, fixed } = this
    const t = half.twin(h)
    if (heap.has(h) || (t >= 0 && heap.has(t))) return
    if (isFixed && fixed[half.origin(h)] && fixed[half.tip(h)]) return
    heap.push(h, this.cost(h))
    this.told[h] = this.clock
  }

  /**
   * Whether the faces round a point that do not hold the other may have it at `quadrics.at`; remembers the worst shape
   * and how far the new place lies from their planes.
   * @returns the worst shape as they are; −1 when not
   */
  private stays(v: number, other: number): number {
    const { half, p } = this
    const at = this.quadrics.at
    const vx = p[v * 3],
      vy = p[v * 3 + 1],
      vz = p[v * 3 + 2]
    let old = 1
    const start = half.first(v)
    for (let h = start; h >= 0;) {
      const b = half.tip(h),
        c = half.apex(h)
      const bx = p[b * 3],
        by = p[b * 3 + 1],
        bz = p[b * 3 + 2]
      const ex = p[c * 3] - bx,
        ey = p[c * 3 + 1] - by,
        ez = p[c * 3 + 2] - bz
      const ux = vx - bx,
        uy = vy - by,
        uz = vz - bz
      const nx = ey * uz - ez * uy,
        ny = ez * ux - ex * uz,
        nz = ex * uy - ey * ux
      const n2 = nx * nx + ny * ny + nz * nz
      const wx = at[0] - bx,
        wy = at[1] - by,
        wz = at[2] - bz
      if (n2 > 0) {
        const d = Math.abs(nx * wx + ny * wy + nz * wz) / Math.sqrt(n2)
        if (d > this.farthest) this.farthest = d
      }
      if (b !== other && c !== other) {
        const mx = ey * wz - ez * wy,
          my = ez * wx - ex * wz,
          mz = ex * wy - ey * wx
        const m2 = mx * mx + my * my + mz * mz
        if (!(m2 > 0)) return -1
        if (n2 > 0 && nx * mx + ny * my + nz * mz < MOST_TURN * Math.sqrt(n2 * m2)) return -1
        const e2 = ex * ex + ey * ey + ez * ez
        const before = shape(n2, e2, ux, uy, uz, ex, ey, ez)
        const now = shape(m2, e2, wx, wy, wz, ex, ey, ez)
        if (before < old) old = before
        if (now < this.worst) this.worst = now
      }
      h = half.onward(h)
      if (h === start) break
    }
    return old
  }

  /** The plane on which the volume round an edge stays. */
  private gather(a: number, b: number): void {
    this.pull.fill(0)
    this.gatherAt(a, -1)
    this.gatherAt(b, a)
  }
  private gatherAt(v: number, without: number): void {
    const { half, p, pull } = this
    const vx = p[v * 3],
      vy = p[v * 3 + 1],
      vz = p[v * 3 + 2]
    const start = half.first(v)
    for (let h = start; h >= 0;) {
      const b = half.tip(h),
        c = half.apex(h)
      if (b !== without && c !== without) {
        const ux = p[b * 3] - vx,
          uy = p[b * 3 + 1] - vy,
          uz = p[b * 3 + 2] - vz
        const wx = p[c * 3] - vx,
          wy = p[c * 3 + 1] - vy,
          wz = p[c * 3 + 2] - vz
        const nx = uy * wz - uz * wy,
          ny = uz * wx - ux * wz,
          nz = ux * wy - uy * wx
        pull[0] += nx
        pull[1] += ny
        pull[2] += nz
        pull[3] += nx * vx + ny * vy + nz * vz
      }
      h = half.onward(h)
      if (h === start) break
    }
  }

  private squared(a: number, b: number): number {
    const { p } = this
    return (p[a * 3] - p[b * 3]) ** 2 + (p[a * 3 + 1] - p[b * 3 + 1]) ** 2 + (p[a * 3 + 2] - p[b * 3 + 2]) ** 2
  }

  outcome(): Collapsed {
    const kept = this.half.compact()
    const renamed = new Int32Array(this.into.length).fill(-1)
    kept.forEach((v, i) => (renamed[v] = i))
    const positions = new Float32Array(kept.length * 3)
    kept.forEach((v, i) => {
      for (let c = 0; c < 3; c++) positions[i * 3 + c] = this.p[v * 3 + c]
    })
    const became = new Int32Array(this.into.length)
    for (let v = 0; v < became.length; v++) {
      let root = v
      while (this.into[root] !== root) root = this.into[root]
      // The way there is walked once.
      for (let w = v; this.into[w] !== root && w !== root;) [w, this.into[w]] = [this.into[w], root]
      became[v] = renamed[root]
    }
    return { positions, indices: this.half.indices(), kept, became }
  }
}

/** 4√3 A / (a² + b² + c²) of a face (Bank and Smith 1997). */
function shape(
  cross2: number,
  e2: number,
  ux: number,
  uy: number,
  uz: number,
  ex: number,
  ey: number,
  ez: number,
): number {
  const u2 = ux * ux + uy * uy + uz * uz
  const tx = ux - ex,
    ty = uy - ey,
    tz = uz - ez
  return (2 * Math.sqrt(3) * Math.sqrt(cross2)) / (e2 + u2 + tx * tx + ty * ty + tz * tz)
}
