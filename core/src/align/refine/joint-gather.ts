import { type KernelArray, type RunContext } from '../../context'
import type { Motion } from '../../linear/rigid'
import { eachItem, itemCounter } from '../../parallel/items'
import { defineKernel } from '../../parallel/kernel'
import { inShared, allocate } from '../../parallel/allocate'
import { isShared } from '../../parallel/share'
import { KdTree } from '../../spatial/kd-tree'
import { PAIR_SIZE, pairDirection, type DirectedPairs } from '../least-squares/directed-pairs'
import { OrientedCloud } from '../oriented-cloud'
import { treeRoomOf } from '../takes/prepare-takes'

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
  private readonly bodyArrays: Record<string, KernelArray> = {}
  private readonly motions: Float64Array
  private readonly limits: Float64Array
  private arrays: Record<string, KernelArray> = {}
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
    const ready = clouds.every(
      (c) => typeof SharedArrayBuffer !== 'undefined' && c.tree.room.xyz.buffer instanceof SharedArrayBuffer,
    )
    this.threads = ready && isShared(context, (samples * this.directed.length) / clouds.length, MIN_SAMPLES)
    this.motions = allocate(Float64Array, clouds.length * MOTION, this.threads)
    this.limits = allocate(Float64Array, this.directed.length, this.threads)
    if (this.threads)
      clouds.forEach((c, b) => {
        Object.assign(this.bodyArrays, {
          [`${b}.positions`]: inShared(c.positions),
          [`${b}.normals`]: inShared(c.features.normals),
          [`${b}.boundary`]: inShared(c.features.boundary),
        })
        for (const [name, values] of Object.entries(c.tree.room))
          this.bodyArrays[`${b}.tree.${name}`] = values as KernelArray
      })
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
    const own = this.threads ? samples.map(inShared) : samples
    layOver(this.directed, own, room)
    this.arrays = {
      ...this.bodyArrays,
      ...room,
      motions: this.motions,
      limits: this.limits,
      centre: Float64Array.from(this.centre),
      ends: Int32Array.from(this.directed.flatMap((d) => [d.from, d.to])),
    }
    own.forEach((sample, b) => {
      this.arrays[`${b}.sample`] = sample
    })
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
    await this.context.parallel!.run(
      jointPairsKernel.name,
      { ...this.arrays, counter: itemCounter(true) },
      { items: this.directed.length, bodies: this.clouds.length, sizeMm: this.sizeMm },
      { progress: () => undefined, cancelled: this.context.cancelled },
      '',
    )
  }
}

function layOver(
  directed: readonly Directed[],
  samples: readonly Int32Array[],
  room: { match: Int32Array; lead: Float64Array; pair: Float64Array; numbers: Float64Array; kept: Float64Array },
): void {
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

/** One direction after the other. */
export const jointPairsKernel = defineKernel('jointPairs', (arrays, params, _part, tick) => {
  const of = <T extends KernelArray>(name: string): T => arrays[name] as T
  const ends = of<Int32Array>('ends'),
    motions = of<Float64Array>('motions'),
    limits = of<Float64Array>('limits')
  const bodies = params.bodies
  const clouds = Array.from(
    { length: bodies },
    (_, b) =>
      new OrientedCloud(
        of<Float32Array>(`${b}.positions`),
        {
          normals: of<Float32Array>(`${b}.normals`),
          boundary: of<Uint8Array>(`${b}.boundary`),
          order: NONE,
          spacingMm: 0,
          noiseMm: 0,
        },
        0,
        KdTree.over(treeRoomOf(arrays, `${b}.tree`)),
      ),
  )
  const samples = Array.from({ length: bodies }, (_, b) => of<Int32Array>(`${b}.sample`))
  const directed = Array.from({ length: params.items }, (_, i) => new Directed(ends[i * 2], ends[i * 2 + 1]))
  layOver(directed, samples, arrays as unknown as Parameters<typeof layOver>[2])
  const motion = (b: number): Motion => motions.subarray(b * MOTION, (b + 1) * MOTION)
  eachItem(of<Int32Array>('counter'), params.items, tick, (i) => {
    const d = directed[i]
    pairDirection(
      d,
      clouds[d.from],
      clouds[d.to],
      motion(d.from),
      motion(d.to),
      limits[i],
      of<Float64Array>('centre'),
      params.sizeMm,
    )
  })
})

const NONE = new Int32Array(0)
