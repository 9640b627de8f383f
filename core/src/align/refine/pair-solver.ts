import { GeometryError } from '../../errors'
import { solveCholesky } from '../../linear/cholesky'
import { compose, invertRigid, rotationMotion, twistMotion, type Motion } from '../../linear/rigid'
import { median } from '../../linear/samples'
import type { OrientedCloud } from '../oriented-cloud'

/** What one level of the match looks at. */
export interface Level {
  readonly forward: Int32Array | null
  readonly backward: Int32Array | null
  readonly minCosine: number
  readonly maxIterations: number
  readonly toleranceMm: number
}

/**
 * Nearest points found before, with how far the takes may move until they must be looked up again (Nüchter, Lingemann,
 * Hertzberg 2007, "Cached k-d tree search for ICP algorithms", 3DIM).
 */
class MatchMemory {
  /** How far any point may have moved since the level began, mm. */
  travelled = 0
  readonly match: Int32Array
  /** `travelled` up to which the match is sure. */
  readonly lead: Float64Array
  constructor(count: number) {
    this.match = new Int32Array(count).fill(-1)
    this.lead = new Float64Array(count).fill(-1)
  }
}

/** Pairs of one round and the 6×6 problem they make; buffers are kept between rounds. */
export class PairSolver {
  count = 0
  scatterMm = 0
  readonly normalMatrix = new Float64Array(36)
  readonly centre: [number, number, number]
  /** Farthest point of the target from its middle. */
  private readonly radiusMm: number
  private limitMm = 0
  /** Per pair: midpoint − centre (3), unit mean normal (3), residual, distance. */
  private pair = new Float64Array(0)
  private readonly lastTwist = new Float64Array(6)
  private forward = new MatchMemory(0)
  private backward = new MatchMemory(0)

  constructor(
    private readonly source: OrientedCloud,
    private readonly target: OrientedCloud,
    private readonly sizeMm: number,
  ) {
    const p = target.positions
    const c: [number, number, number] = [0, 0, 0]
    for (let i = 0; i < p.length; i++) c[i % 3] += p[i]
    const [x, y, z] = (this.centre = [(c[0] * 3) / p.length, (c[1] * 3) / p.length, (c[2] * 3) / p.length])
    let far = 0
    for (let i = 0; i < p.length; i += 3)
      far = Math.max(far, (p[i] - x) ** 2 + (p[i + 1] - y) ** 2 + (p[i + 2] - z) ** 2)
    this.radiusMm = Math.sqrt(far)
  }

  reset(level: Level): void {
    this.lastTwist.fill(0)
    this.forward = new MatchMemory(level.forward?.length ?? 0)
    this.backward = new MatchMemory(level.backward?.length ?? 0)
    this.pair = new Float64Array(((level.forward?.length ?? 0) + (level.backward?.length ?? 0)) * 8)
  }

  gather(level: Level, motion: Motion, limit: number): number {
    this.count = 0
    this.limitMm = limit
    if (level.forward)
      this.oneWay(this.source, this.target, motion, level.forward, this.forward, limit, level.minCosine, false)
    if (level.backward)
      this.oneWay(
        this.target,
        this.source,
        invertRigid(motion),
        level.backward,
        this.backward,
        limit,
        level.minCosine,
        true,
        motion,
      )
    return this.count
  }

  private oneWay(
    from: OrientedCloud,
    to: OrientedCloud,
    motion: Motion,
    sample: Int32Array,
    memory: MatchMemory,
    limit: number,
    minCosine: number,
    reversed: boolean,
    back: Motion = motion,
  ): void {
    const p = from.positions,
      pn = from.features.normals,
      pb = from.features.boundary
    const q = to.positions,
      qn = to.features.normals,
      qb = to.features.boundary
    const { tree } = to
    const [m0, m1, m2, m3, m4, m5, m6, m7, m8, m9, m10, m11] = motion as unknown as number[]
    const [b0, b1, b2, b3, b4, b5, b6, b7, b8, b9, b10, b11] = back as unknown as number[]
    const [cx, cy, cz] = this.centre
    const limit2 = limit * limit
    const out = this.pair
    let at = this.count * 8
    for (let s = 0; s < sample.length; s++) {
      const i = sample[s] * 3
      // A rim point's neighbourhood is one-sided, so its normal leans.
      if (pb[sample[s]]) continue
      const x = m0 * p[i] + m1 * p[i + 1] + m2 * p[i + 2] + m3
      const y = m4 * p[i] + m5 * p[i + 1] + m6 * p[i + 2] + m7
      const z = m8 * p[i] + m9 * p[i + 1] + m10 * p[i + 2] + m11
      // A match stays the nearest while the point has moved less than half its lead over the runner-up.
      let j = memory.match[s]
      if (memory.lead[s] < memory.travelled) {
        j = tree.nearestTwo(x, y, z, limit2)
        memory.match[s] = j
        memory.lead[s] =
          j < 0 ? -1 : memory.travelled + (Math.sqrt(tree.secondDistance2) - Math.sqrt(tree.lastDistance2)) / 2
      }
      if (j < 0 || qb[j]) continue
      const nx = m0 * pn[i] + m1 * pn[i + 1] + m2 * pn[i + 2]
      const ny = m4 * pn[i] + m5 * pn[i + 1] + m6 * pn[i + 2]
      const nz = m8 * pn[i] + m9 * pn[i + 1] + m10 * pn[i + 2]
      const k = j * 3
      if (nx * qn[k] + ny * qn[k + 1] + nz * qn[k + 2] < minCosine) continue
      let ux = nx + qn[k],
        uy = ny + qn[k + 1],
        uz = nz + qn[k + 2]
      const l = Math.sqrt(ux * ux + uy * uy + uz * uz)
      ux /= l
      uy /= l
      uz /= l
      let mx = (x + q[k]) / 2,
        my = (y + q[k + 1]) / 2,
        mz = (z + q[k + 2]) / 2
      const dx = x - q[k],
        dy = y - q[k + 1],
        dz = z - q[k + 2]
      let r = ux * dx + uy * dy + uz * dz
      if (reversed) {
        // Found in the source's coordinates; bring it over. The residual is still source minus target.
        const rx = b0 * mx + b1 * my + b2 * mz + b3
        const ry = b4 * mx + b5 * my + b6 * mz + b7
        const rz = b8 * mx + b9 * my + b10 * mz + b11
        mx = rx
        my = ry
        mz = rz
        const vx = b0 * ux + b1 * uy + b2 * uz
        const vy = b4 * ux + b5 * uy + b6 * uz
        const vz = b8 * ux + b9 * uy + b10 * uz
        ux = vx
        uy = vy
        uz = vz
        r = -r
      }
      const d2 = dx * dx + dy * dy + dz * dz
      if (d2 > limit2) continue
      out[at] = mx - cx
      out[at + 1] = my - cy
      out[at + 2] = mz - cz
      out[at + 3] = ux
      out[at + 4] = uy
      out[at + 5] = uz
      out[at + 6] = r
      out[at + 7] = d2
      at += 8
    }
    this.count = at / 8
  }

  solve(
    motion: Motion,
    stride: number,
  ): { motion: Motion; shiftMm: number; medianDistanceMm: number; alongPrevious: boolean } {
    const { pair, count } = this
    const step = Math.max(1, Math.floor(count / 4000))
    const sampled = Math.ceil(count / step)
    const residuals = new Float64Array(sampled)
    const distances = new Float64Array(sampled)
    for (let i = 0, k = 0; i < count; i += step, k++) {
      residuals[k] = Math.abs(pair[i * 8 + 6])
      distances[k] = pair[i * 8 + 7]!
    }
    this.scatterMm = 1.4826 * median(residuals)
    // Noise-free data must not turn every weight to zero.
    const tukey = 4.685 * Math.max(this.scatterMm, this.sizeMm * 1e-7)
    const a = this.normalMatrix.fill(0)
    const g = new Float64Array(6)
    const row = new Float64Array(6)
    for (let i = 0; i < count; i++) {
      const at = i * 8
      const r = pair[at + 6]
      const u = r / tukey
      if (u >= 1 || u <= -1) continue
      const w = (1 - u * u) * (1 - u * u)
      const mx = pair[at],
        my = pair[at + 1],
        mz = pair[at + 2],
        nx = pair[at + 3],
        ny = pair[at + 4],
        nz = pair[at + 5]
      row[0] = my * nz - mz * ny
      row[1] = mz * nx - mx * nz
      row[2] = mx * ny - my * nx
      row[3] = nx
      row[4] = ny
      row[5] = nz
      for (let c = 0; c < 6; c++) {
        const wc = w * row[c]
        g[c] -= wc * r
        for (let d = c; d < 6; d++) a[c * 6 + d] += wc * row[d]
      }
    }
    for (let c = 0; c < 6; c++) for (let d = 0; d < c; d++) a[c * 6 + d] = a[d * 6 + c]!
    const twist = new Float64Array(6)
    // A motion the surface leaves free must not run away: the least damping that keeps the system solvable.
    let damped = a
    for (let damping = 1e-9; !solveCholesky(damped, g, twist, 6); damping *= 100) {
      damped = a.slice()
      for (let c = 0; c < 6; c++)
        damped[c * 6 + c] += damping * (c < 3 ? (a[0] + a[7] + a[14]) / 3 : (a[21] + a[28] + a[35]) / 3) + 1e-12
      if (damping > 1) throw new GeometryError('DEGENERATE', 'The common surface does not say how the takes fit.')
    }
    // Turns count by what they move at half the piece's size.
    const arm = this.sizeMm / 2
    let along = 0,
      own = 0,
      before = 0
    for (let c = 0; c < 6; c++) {
      const w = c < 3 ? arm * arm : 1
      along += w * twist[c] * this.lastTwist[c]
      own += w * twist[c] * twist[c]
      before += w * this.lastTwist[c] * this.lastTwist[c]
    }
    const alongPrevious = along > 0.8 * Math.sqrt(own * before) && before > 0
    this.lastTwist.set(twist)
    const turn = Math.hypot(twist[0], twist[1], twist[2])
    const shift = Math.hypot(twist[3], twist[4], twist[5])
    for (let c = 0; c < 6; c++) twist[c] *= stride
    // A matched point lies within the pair limit of the target's own; the others are looked up anew every round.
    const farthest = (shift + turn * (this.radiusMm + this.limitMm)) * stride
    this.forward.travelled += farthest
    this.backward.travelled += farthest
    const [cx, cy, cz] = this.centre
    const there = rotationMotion([0, 0, 1], 0, [cx, cy, cz])
    const back = rotationMotion([0, 0, 1], 0, [-cx, -cy, -cz])
    const delta = compose(there, compose(twistMotion(twist), back))
    return {
      motion: compose(delta, motion),
      shiftMm: shift + turn * arm,
      medianDistanceMm: Math.sqrt(median(distances)),
      alongPrevious,
    }
  }
}
