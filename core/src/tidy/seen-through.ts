import { checkpoint, stage, type RunContext } from '../context'
import { KdTree } from '../spatial/kd-tree'
import type { PointCloud } from '../shapes'

/** Sight lines count that run this near to a point and go on this far behind it, in spacings. */
const BESIDE_SPACINGS = 1
const BEHIND_SPACINGS = 4
/**
 * With how many sight lines through it a point goes that has at most so many others about it, within so many spacings:
 * the lonelier, the fewer.
 */
const RULES = [
  { through: 1, others: 0, within: 2.5 },
  { through: 2, others: 0, within: 1.5 },
  { through: 3, others: 2, within: 1.5 },
] as const

/**
 * Mixed points: alone, and other frames saw through them. Real surface beside an outline is passed by sight lines too,
 * but has neighbours.
 * Returns 1 for each.
 */
export function mixedPoints(
  cloud: PointCloud & { readonly frame: Uint16Array; readonly frameOrigins: Float64Array },
  spacingMm: number,
  context: RunContext,
): Uint8Array {
  const { positions: p } = cloud
  const through = sightLinesThrough(
    cloud,
    BESIDE_SPACINGS * spacingMm,
    BEHIND_SPACINGS * spacingMm,
    stage(context, 0, 0.8),
  )
  const mask = new Uint8Array(through.length)
  const tree = new KdTree(p)
  const ids = new Int32Array(4),
    d2 = new Float64Array(4)
  for (let i = 0; i < mask.length; i++) {
    if (through[i] === 0) continue
    for (const rule of RULES) {
      if (through[i] < rule.through) break
      const found = tree.knn(
        p[i * 3],
        p[i * 3 + 1],
        p[i * 3 + 2],
        rule.others + 2,
        ids,
        d2,
        (rule.within * spacingMm) ** 2,
      )
      if (found <= rule.others + 1) {
        mask[i] = 1
        break
      }
    }
  }
  return mask
}

/**
 * How many sight lines of other frames pass through each point: the device saw something behind it, so that nothing can
 * be there. A sight line passes through a point when it runs nearer to it than `besideMm` and goes on for at least
 * `behindMm`.
 * Sight lines are the ways from the frames' origins to the points they took; each frame's are binned by direction
 * (gnomonic, about its mean way of sight), so that a point meets only its neighbours.
 * @param cloud with frames and their origins
 */
export function sightLinesThrough(
  cloud: PointCloud & { readonly frame: Uint16Array; readonly frameOrigins: Float64Array },
  besideMm: number,
  behindMm: number,
  context: RunContext,
): Uint16Array {
  const { positions: p, frame, frameOrigins: o } = cloud
  const n = frame.length
  const through = new Uint16Array(n)
  const frames = o.length / 3
  const members = membersOf(frame, frames)
  for (let g = 0; g < frames; g++) {
    checkpoint(context, g, frames, 'Looking through the points')
    const own = members[g]
    if (own.length < 2) continue
    const fan = new Fan(p, own, o[g * 3], o[g * 3 + 1], o[g * 3 + 2], besideMm)
    for (let i = 0; i < n; i++)
      if (frame[i] !== g) through[i] += fan.through(p[i * 3], p[i * 3 + 1], p[i * 3 + 2], besideMm, behindMm)
  }
  return through
}

function membersOf(frame: Uint16Array, frames: number): Int32Array[] {
  const counts = new Int32Array(frames)
  for (const f of frame) counts[f]++
  const out = Array.from(counts, (c) => new Int32Array(c))
  counts.fill(0)
  for (let i = 0; i < frame.length; i++) out[frame[i]][counts[frame[i]]++] = i
  return out
}

/** The sight lines of one frame, by direction. */
class Fan {
  private readonly axis: [number, number, number]
  private readonly right: [number, number, number]
  private readonly up: [number, number, number]
  private readonly u: Float64Array
  private readonly v: Float64Array
  private readonly depth: Float64Array
  private readonly start: Int32Array
  private readonly items: Int32Array
  private readonly low: [number, number]
  private readonly cell: number
  private readonly columns: number
  private readonly rows: number

  constructor(
    p: Float32Array,
    own: Int32Array,
    private readonly ox: number,
    private readonly oy: number,
    private readonly oz: number,
    besideMm: number,
  ) {
    let x = 0,
      y = 0,
      z = 0,
      far = 0
    for (const i of own) {
      const a = p[i * 3] - ox,
        b = p[i * 3 + 1] - oy,
        c = p[i * 3 + 2] - oz,
        l = Math.hypot(a, b, c) || 1
      x += a / l
      y += b / l
      z += c / l
      far += l / own.length
    }
    const l = Math.hypot(x, y, z) || 1
    this.axis = [x / l, y / l, z / l]
    const [ax, ay, az] = this.axis
    const side = Math.abs(az) < 0.9 ? Math.hypot(ax, ay) : Math.hypot(ay, az)
    this.right = Math.abs(az) < 0.9 ? [-ay / side, ax / side, 0] : [0, -az / side, ay / side]
    const [rx, ry, rz] = this.right
    this.up = [ay * rz - az * ry, az * rx - ax * rz, ax * ry - ay * rx]
    const m = own.length
    this.u = new Float64Array(m)
    this.v = new Float64Array(m)
    this.depth = new Float64Array(m)
    let u0 = Infinity,
      v0 = Infinity,
      u1 = -Infinity,
      v1 = -Infinity
    own.forEach((i, k) => {
      const w = this.place(p[i * 3], p[i * 3 + 1], p[i * 3 + 2])
      this.u[k] = w[0]
      this.v[k] = w[1]
      this.depth[k] = w[2]
      u0 = Math.min(u0, w[0])
      u1 = Math.max(u1, w[0])
      v0 = Math.min(v0, w[1])
      v1 = Math.max(v1, w[1])
    })
    this.low = [u0, v0]
    // Never more than a few million cells, however fine the spacing.
    this.cell = Math.max(besideMm / (0.8 * far), (u1 - u0) / 2000, (v1 - v0) / 2000, 1e-9)
    this.columns = Math.floor((u1 - u0) / this.cell) + 1
    this.rows = Math.floor((v1 - v0) / this.cell) + 1
    this.start = new Int32Array(this.columns * this.rows + 1)
    const at = Int32Array.from(
      { length: m },
      (_, k) => Math.floor((this.v[k] - v0) / this.cell) * this.columns + Math.floor((this.u[k] - u0) / this.cell),
    )
    for (const c of at) this.start[c + 1]++
    for (let c = 0; c < this.columns * this.rows; c++) this.start[c + 1] += this.start[c]
    const next = this.start.slice()
    this.items = new Int32Array(m)
    for (let k = 0; k < m; k++) this.items[next[at[k]]++] = k
  }

  /** Direction and depth of a place; depth 0 or less is behind the device. */
  private place(x: number, y: number, z: number): [number, number, number] {
    const a = x - this.ox,
      b = y - this.oy,
      c = z - this.oz
    const d = a * this.axis[0] + b * this.axis[1] + c * this.axis[2]
    return [
      (a * this.right[0] + b * this.right[1] + c * this.right[2]) / d,
      (a * this.up[0] + b * this.up[1] + c * this.up[2]) / d,
      d,
    ]
  }

  through(x: number, y: number, z: number, besideMm: number, behindMm: number): number {
    const a = x - this.ox,
      b = y - this.oy,
      c = z - this.oz
    const d = a * this.axis[0] + b * this.axis[1] + c * this.axis[2]
    if (!(d > 0)) return 0
    const u = (a * this.right[0] + b * this.right[1] + c * this.right[2]) / d,
      v = (a * this.up[0] + b * this.up[1] + c * this.up[2]) / d
    const r = besideMm / d
    const c0 = Math.max(0, Math.floor((u - r - this.low[0]) / this.cell)),
      c1 = Math.min(this.columns - 1, Math.floor((u + r - this.low[0]) / this.cell))
    const r0 = Math.max(0, Math.floor((v - r - this.low[1]) / this.cell)),
      r1 = Math.min(this.rows - 1, Math.floor((v + r - this.low[1]) / this.cell))
    let count = 0
    for (let row = r0; row <= r1; row++)
      for (
        let s = this.start[row * this.columns + c0], e = this.start[row * this.columns + c1 + 1];
        c0 <= c1 && s < e;
        s++
      ) {
        const k = this.items[s]
        if (this.depth[k] > d + behindMm && (this.u[k] - u) ** 2 + (this.v[k] - v) ** 2 < r * r) count++
      }
    return count
  }
}
