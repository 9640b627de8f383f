import type { RunContext } from '../../context'
import type { Motion } from '../../linear/rigid'
import { eachItem, itemCounter } from '../../parallel/items'
import { defineKernel } from '../../parallel/kernel'
import { allocate, inShared, isInShared } from '../../parallel/allocate'
import { isShared, runShared } from '../../parallel/share'
import { KdTree, type TreeRoom } from '../../spatial/kd-tree'
import { PAIR_SIZE, pairDirection, type DirectedPairs } from '../least-squares/directed-pairs'
import { OrientedCloud } from '../oriented-cloud'

/** Fewer samples than this in all directions together are not worth waking threads for. */
const MIN_SAMPLES = 20_000
const NUMBERS = 3
const MOTION = 16

/** One direction of a pair of bodies: sampled points of one and what they met on the other. */
export class Directed implements DirectedPairs {
  scatterMm = 0
  sample: Int32Array = new Int32Array(0)
  match: Int32Array = new Int32Array(0)
  lead: Float64Array = new Float64Array(0)
  pair: Float64Array = new Float64Array(0)
  /** How far it has moved, how many pairs there are, whether there was a round before. */
  private numbers: Float64Array = new Float64Array(NUMBERS)
  private kept: Float64Array = new Float64Array(MOTION)

  constructor(
    readonly from: number,
    readonly to: number,
  ) {}

  /** Uses its stretch of the common arrays. */
  over(
    sample: Int32Array,
    match: Int32Array,
    lead: Float64Array,
    pair: Float64Array,
    numbers: Float64Array,
    kept: Float64Array,
  ): this {
    Object.assign(this, { sample, match, lead, pair, numbers, kept })
    return this
  }

  get travelled(): number {
    return this.numbers[0]
  }
  set travelled(v: number) {
    this.numbers[0] = v
  }
  get count(): number {
    return this.numbers[1]
  }
  set count(v: number) {
    this.numbers[1] = v
  }
  get last(): Motion | null {
    return this.numbers[2] === 1 ? this.kept : null
  }
  set last(m: Motion | null) {
    this.numbers[2] = m ? 1 : 0
    if (m) this.kept.set(m)
  }
}

/** Seeks the pairs of all directions, round by round, on as many threads as there are. The pairs are the same. */
export class PairGather {
  readonly directed: readonly Directed[]
  private readonly bodies: readonly Body[]
  private readonly motions: Float64Array
  private readonly limits: Float64Array
  private work: Omit<JointPairs, 'counter'> | null = null
  private readonly threads: boolean

  constructor(
    private readonly clouds: readonly OrientedCloud[],
    edges: readonly (readonly [number, number])[],
    private readonly centre: readonly number[],
    private readonly sizeMm: number,
    samples: number,
    private readonly context: RunContext,
  ) {
    this.directed = edges.flatMap(([a, b]) => [new Directed(a, b), new Directed(b, a)])
    const ready = clouds.every((c) => isInShared(c.tree.room.xyz))
    this.threads = ready && isShared(context, (samples * this.directed.length) / clouds.length, MIN_SAMPLES)
    this.motions = allocate(Float64Array, clouds.length * MOTION, this.threads)
    this.limits = allocate(Float64Array, this.directed.length, this.threads)
    this.bodies = this.threads
      ? clouds.map(({ positions, features: { normals, boundary }, tree }) =>
          inShared({ positions, normals, boundary, tree: tree.room }),
        )
      : []
  }

  /** From now on with these points of each body; what was found before is forgotten. */
  restart(samples: readonly Int32Array[]): void {
    const total = this.directed.reduce((n, d) => n + samples[d.from].length, 0),
      n = this.directed.length
    const room = {
      match: allocate(Int32Array, total, this.threads).fill(-1),
      lead: allocate(Float64Array, total, this.threads).fill(-1),
      pair: allocate(Float64Array, total * PAIR_SIZE, this.threads),
      numbers: allocate(Float64Array, n * NUMBERS, this.threads),
      kept: allocate(Float64Array, n * MOTION, this.threads),
    }
    const own = this.threads ? inShared(samples) : samples
    layOver(this.directed, own, room)
    this.work = {
      bodies: this.bodies,
      samples: own,
      room,
      motions: this.motions,
      limits: this.limits,
      centre: this.centre,
      ends: this.directed.map((d) => [d.from, d.to] as const),
      sizeMm: this.sizeMm,
    }
  }

  async round(motions: readonly Motion[], limitMm: (d: Directed) => number): Promise<void> {
    if (!this.threads) {
      for (const d of this.directed)
        pairDirection(
          d,
          this.clouds[d.from],
          this.clouds[d.to],
          motions[d.from],
          motions[d.to],
          limitMm(d),
          this.centre,
          this.sizeMm,
        )
      return
    }
    motions.forEach((m, b) => this.motions.set(m, b * MOTION))
    this.directed.forEach((d, i) => {
      this.limits[i] = limitMm(d)
    })
    await runShared(
      jointPairsKernel,
      { ...this.work!, counter: itemCounter(true) },
      this.directed.length,
      { ...this.context, progress: () => undefined },
      '',
    )
  }
}

function layOver(directed: readonly Directed[], samples: readonly Int32Array[], room: PairRoom): void {
  let at = 0
  directed.forEach((d, i) => {
    const sample = samples[d.from],
      end = at + sample.length
    d.over(
      sample,
      room.match.subarray(at, end),
      room.lead.subarray(at, end),
      room.pair.subarray(at * PAIR_SIZE, end * PAIR_SIZE),
      room.numbers.subarray(i * NUMBERS, (i + 1) * NUMBERS),
      room.kept.subarray(i * MOTION, (i + 1) * MOTION),
    )
    at = end
  })
}

interface PairRoom {
  readonly match: Int32Array
  readonly lead: Float64Array
  readonly pair: Float64Array
  readonly numbers: Float64Array
  readonly kept: Float64Array
}
interface Body {
  readonly positions: Float32Array
  readonly normals: Float32Array
  readonly boundary: Uint8Array
  readonly tree: TreeRoom
}
/** What threads are handed for a round. */
interface JointPairs {
  readonly counter: Int32Array
  readonly bodies: readonly Body[]
  /** Points of each body that seek partners. */
  readonly samples: readonly Int32Array[]
  readonly room: PairRoom
  /** Of each body, one after the other. */
  readonly motions: Float64Array
  /** Of each direction, mm. */
  readonly limits: Float64Array
  readonly ends: readonly (readonly [from: number, to: number])[]
  readonly centre: readonly number[]
  readonly sizeMm: number
}

/** One direction after the other. */
const jointPairsKernel = defineKernel('jointPairs', (input: JointPairs, _part, tick) => {
  const { counter, bodies, samples, room, motions, limits, ends, centre, sizeMm } = input
  const clouds = bodies.map(
    ({ positions, normals, boundary, tree }) =>
      new OrientedCloud(positions, { normals, boundary, order: NONE, spacingMm: 0, noiseMm: 0 }, 0, KdTree.over(tree)),
  )
  const directed = ends.map(([from, to]) => new Directed(from, to))
  layOver(directed, samples, room)
  const motion = (b: number): Motion => motions.subarray(b * MOTION, (b + 1) * MOTION)
  eachItem(counter, directed.length, tick, (i) => {
    const d = directed[i]
    pairDirection(d, clouds[d.from], clouds[d.to], motion(d.from), motion(d.to), limits[i], centre, sizeMm)
  })
})

const NONE = new Int32Array(0)
