import { GeometryError } from '../errors'
import { borderPoints } from '../mesh/topology'
import { weldVertices } from '../mesh/weld'
import { EVIDENCE, type TriangleMesh } from '../shapes'
import { Cap, type SculptLimits } from './cap'
import type { Brush, PartWay, Sculpted, Stroke, StrokeKind } from './stroke'
import { fitCylinder, fitFace, type Form } from './brush-forms'
import { filledUp, laidOnto, smoothed, type Footprint } from './brush-targets'
import { MovingMesh } from './moving-mesh'

/** A vertex's edge of a dab counts for nothing; it is looked at all the same so that the rim has neighbours. */
const LEAST_WEIGHT = 1e-6
/** Pulling looks for points so many radii of the brush away. */
const PULL_RADII = 0.5

const FLAG: Readonly<Record<Brush, number>> = { smooth: 1, flatten: 1, fill: 2, pull: 4 }
const CHANGED_FORM = 1 | 2

/** What vertices were before a stroke, kept when it first touches them. */
interface Log {
  readonly vertices: number[]
  readonly positions: number[]
  readonly flags: number[]
  readonly held: number[]
}

/**
 * A surface under the hand: strokes of brushes move its vertices, none farther from the takes' points than the cap (or
 * than it lay before), and where nothing was measured none farther than the cap from where it was. The same strokes on
 * the same mesh give the same places, whether they come one by one or all at once.
 */
export class Sculpture {
  readonly live: MovingMesh
  private readonly border: Uint8Array
  private readonly cap: Cap
  private readonly flags: Uint8Array
  private readonly heldBack: Uint8Array
  private stroke: StrokeKind | null = null
  private form: Form | null = null
  private log: Log | null = null
  private readonly done: Log[] = []
  /** The last stroke that touched a vertex. */
  private readonly strokeOf: Int32Array
  private strokes = 0

  /** The mesh it began with, points at one place made one. */
  readonly mesh: TriangleMesh

  /** @throws PARAMS for a cap that lets nothing move */
  constructor(input: TriangleMesh, limits: SculptLimits) {
    const mesh = (this.mesh = weldVertices(input))
    const n = mesh.positions.length / 3
    this.live = new MovingMesh(mesh)
    this.border = borderPoints(mesh)
    this.cap = new Cap(this.live, limits)
    this.flags = new Uint8Array(n)
    this.heldBack = new Uint8Array(n)
    this.strokeOf = new Int32Array(n)
  }

  /** A stroke begins; what it moves is taken back in one. */
  begin(stroke: StrokeKind): void {
    this.end()
    this.stroke = stroke
    this.form = null
    this.strokes++
    this.log = { vertices: [], positions: [], flags: [], held: [] }
  }

  /** The stroke is done. */
  end(): void {
    if (this.log) this.done.push(this.log)
    this.log = null
    this.stroke = null
  }

  /** Takes the last stroke back. @returns the vertices whose place or direction changed */
  back(): Int32Array {
    this.end()
    const last = this.done.pop()
    if (!last) return new Int32Array(0)
    last.vertices.forEach((v, i) => {
      for (let c = 0; c < 3; c++) this.live.positions[v * 3 + c] = last.positions[i * 3 + c]
      this.flags[v] = last.flags[i]
      this.heldBack[v] = last.held[i]
    })
    return this.live.turned(Int32Array.from(last.vertices))
  }

  /** All of a stroke at once. */
  draw({ dabs, ...kind }: Stroke): void {
    this.begin(kind)
    for (let i = 0; i + 3 < dabs.length; i += 4) this.dab(dabs[i], dabs[i + 1], dabs[i + 2], dabs[i + 3])
    this.end()
  }

  /**
   * One dab of the brush. @returns the vertices whose place or direction changed; none where the brush met no surface
   * @throws PARAMS where no stroke has begun
   */
  dab(x: number, y: number, z: number, pressure: number): Int32Array {
    const { stroke } = this
    if (!stroke) throw new GeometryError('PARAMS', 'A dab belongs to a stroke; none has begun.')
    const list = this.live.under(x, y, z, stroke.radiusMm, stroke.side)
    if (list.length === 0) return list
    const { positions: p, normals: n } = this.live
    const weights = new Float64Array(list.length)
    for (let i = 0; i < list.length; i++) {
      const v = list[i] * 3
      const d2 = (p[v] - x) ** 2 + (p[v + 1] - y) ** 2 + (p[v + 2] - z) ** 2
      weights[i] = Math.max(LEAST_WEIGHT, (1 - d2 / stroke.radiusMm ** 2) ** 2)
    }
    const foot: Footprint = { p, n, list, weights }
    const share = Math.min(1, Math.max(0, stroke.strength)) * Math.min(1, Math.max(0, pressure))
    const to = new Float64Array(list.length * 3)
    if (!this.aim(stroke, foot, share, to)) return new Int32Array(0)
    const moved = this.lay(list, to, FLAG[stroke.brush])
    return this.live.turned(moved)
  }

  /**
   * A part of the surface worked on at once, as one stroke: laid onto the plane or cylinder that most of it tells, or
   * smoothed with a brush of that radius, pressed so many times.
   * @returns the vertices whose place or direction changed
   */
  part(list: Int32Array, way: PartWay, radiusMm: number, times: number): Int32Array {
    this.begin({ brush: way === 'smooth' ? 'smooth' : 'flatten', radiusMm, strength: 1, side: null, onto: 'plane' })
    const { positions: p, normals: n } = this.live
    const to = new Float64Array(list.length * 3)
    const foot: Footprint = { p, n, list, weights: new Float64Array(list.length).fill(1) }
    let turned: Int32Array = new Int32Array(0)
    if (way === 'smooth')
      for (let k = 0; k < times; k++) {
        smoothed(foot, this.live.rings, this.mesh.indices, this.border, 1, radiusMm, to)
        turned = this.live.turned(this.lay(list, to, FLAG.smooth))
      }
    else {
      const form = way === 'cylinder' ? fitCylinder(foot) : fitFace(foot)
      if (form) {
        laidOnto(form, foot, 1, to)
        turned = this.live.turned(this.lay(list, to, FLAG.flatten))
      }
    }
    this.end()
    return turned
  }

  /** Where the brush would have the vertices under it. */
  private aim(stroke: StrokeKind, foot: Footprint, share: number, to: Float64Array): boolean {
    const { p, n, list, weights } = foot
    switch (stroke.brush) {
      case 'smooth':
        smoothed(foot, this.live.rings, this.mesh.indices, this.border, share, stroke.radiusMm, to)
        return true
      case 'fill': {
        const middle: [number, number, number] = [0, 0, 0],
          side: [number, number, number] = [0, 0, 0]
        let sum = 0
        for (let i = 0; i < list.length; i++) {
          sum += weights[i]
          for (let c = 0; c < 3; c++) {
            middle[c] += weights[i] * p[list[i] * 3 + c]
            side[c] += weights[i] * n[list[i] * 3 + c]
          }
        }
        const l = Math.sqrt(side[0] ** 2 + side[1] ** 2 + side[2] ** 2)
        if (!(l > 0) || !(sum > 0)) return false
        for (let c = 0; c < 3; c++) {
          middle[c] /= sum
          side[c] /= l
        }
        return filledUp(foot, middle, side, share, to)
      }
      case 'flatten': {
        this.form ??= stroke.onto === 'cylinder' ? fitCylinder(foot) : fitFace(foot)
        if (!this.form) return false
        laidOnto(this.form, foot, share, to)
        return true
      }
      case 'pull': {
        const { raw } = this.cap.limits
        if (!raw) return false
        for (let i = 0; i < list.length; i++) {
          const v = list[i] * 3
          const off = this.cap.offsetWithin(list[i], PULL_RADII * stroke.radiusMm)
          const k = Number.isNaN(off) ? 0 : share * weights[i] * off
          for (let c = 0; c < 3; c++) to[i * 3 + c] = p[v + c] + k * this.live.facing[v + c]
        }
        return true
      }
    }
  }

  /** Moves vertices as far as they may go; those that did. */
  private lay(list: Int32Array, to: Float64Array, flag: number): Int32Array {
    const { live } = this
    const p = live.positions
    const old = new Float32Array(list.length * 3)
    const moves = new Uint8Array(list.length)
    for (let i = 0; i < list.length; i++) {
      const v = list[i]
      for (let c = 0; c < 3; c++) old[i * 3 + c] = p[v * 3 + c]!
      if (this.border[v]) continue
      const isHeld = this.cap.hold(v, to, i * 3)
      let moved = false
      for (let c = 0; c < 3; c++) moved ||= Math.fround(to[i * 3 + c]) !== old[i * 3 + c]
      if (!isHeld && !moved) continue
      this.remember(v)
      if (isHeld) this.heldBack[v] = 1
      if (!moved) continue
      moves[i] = 1
      for (let c = 0; c < 3; c++) p[v * 3 + c] = to[i * 3 + c]!
    }
    live.giveBackFolds(list, old, moves)
    const out = new Int32Array(list.length)
    let k = 0
    for (let i = 0; i < list.length; i++) {
      if (!moves[i]) continue
      const v = list[i]
      out[k++] = v
      this.flags[v] |= flag
      live.farthestMm = Math.max(live.farthestMm, live.away(v))
    }
    return out.subarray(0, k)
  }

  /** Keeps what a vertex was before this stroke, once. */
  private remember(v: number): void {
    const { log, live } = this
    if (!log || this.strokeOf[v] === this.strokes) return
    this.strokeOf[v] = this.strokes
    log.vertices.push(v)
    log.positions.push(live.positions[v * 3], live.positions[v * 3 + 1], live.positions[v * 3 + 2])
    log.flags.push(this.flags[v])
    log.held.push(this.heldBack[v])
  }

  /** What the strokes so far came to. */
  told(): Sculpted {
    let moved = 0,
      heldBack = 0,
      sum = 0,
      mostMm = 0,
      unmeasured = 0,
      fromRawMm = 0
    const p = this.live.positions
    for (let v = 0; v < p.length / 3; v++) {
      if (this.heldBack[v]) heldBack++
      if (this.flags[v] === 0) continue
      const k = v * 3
      const away = this.live.away(v)
      moved++
      sum += away
      if (away > mostMm) mostMm = away
      const off = Number.isNaN(this.cap.offBefore(v)) ? NaN : this.cap.offsetAt(v, p[k], p[k + 1], p[k + 2])
      if (Number.isNaN(off)) unmeasured++
      else fromRawMm = Math.max(fromRawMm, Math.abs(off))
    }
    return { moved, heldBack, unmeasured, meanMm: moved > 0 ? sum / moved : 0, mostMm, fromRawMm }
  }

  /** Places of vertices that were moved, x, y, z …, where they lie now. */
  places(): Float32Array {
    const out: number[] = []
    for (let v = 0; v < this.flags.length; v++)
      if (this.flags[v])
        out.push(this.live.positions[v * 3], this.live.positions[v * 3 + 1], this.live.positions[v * 3 + 2])
    return Float32Array.from(out)
  }

  /**
   * The mesh as it is now. What was smoothed or flattened is carried, what was filled up invented; what was pulled to
   * points is measured there.
   */
  result(): TriangleMesh {
    const { evidence: old, normals: _turned, ...rest } = this.mesh
    const evidence = old?.slice()
    if (evidence)
      for (let v = 0; v < evidence.length; v++) {
        const flags = this.flags[v]
        if (flags & 2) evidence[v] = EVIDENCE.invented
        else if (flags & CHANGED_FORM) evidence[v] = Math.max(evidence[v], EVIDENCE.carried)
        else if (flags & 4 && !Number.isNaN(this.cap.offsetWithin(v, 0))) evidence[v] = EVIDENCE.measured
      }
    return { ...rest, positions: this.live.positions.slice(), ...(evidence && { evidence }) }
  }
}
