import { availableParallelism } from 'node:os'
import { Worker } from 'node:worker_threads'
import { GeometryError, type Parallel } from '@holosoma/core'
import type { KernelTask } from '../kernel-thread'

const LOOK_MS = 100
/** More threads than this bring little: memory is the limit. */
const MAX = 8

/** Threads beside this one, started when first wanted and ended by `close`. */
export class KernelThreads implements Parallel {
  readonly threads: number
  private readonly shared: Int32Array
  private workers: Worker[] | null = null

  constructor(
    private readonly thread: URL,
    threads = Math.min(MAX, availableParallelism()),
  ) {
    this.threads = threads
    this.shared = new Int32Array(new SharedArrayBuffer(4 * (1 + threads)))
  }

  async run(
    kernel: string,
    input: unknown,
    items: number,
    context: Parameters<Parallel['run']>[3],
    note: string,
  ): Promise<void> {
    this.workers ??= Array.from(
      { length: this.threads },
      () => new Worker(this.thread, { workerData: { shared: this.shared } }),
    )
    this.shared.fill(0)
    const look = setInterval(() => {
      if (context.cancelled()) Atomics.store(this.shared, 0, 1)
      let done = 0
      for (let i = 1; i <= this.threads; i++) done += Atomics.load(this.shared, i)
      context.progress(Math.min(1, done / items), note)
    }, LOOK_MS)
    try {
      const ends = await Promise.all(
        this.workers.map(
          (worker, index) =>
            new Promise<string | null>((resolve) => {
              const end = (answer: string | null | Error): void => {
                worker.off('message', end)
                worker.off('error', end)
                resolve(answer instanceof Error ? answer.message : answer)
              }
              worker.on('message', end)
              worker.on('error', end)
              worker.postMessage({ kernel, input, index, of: this.threads } satisfies KernelTask)
            }),
        ),
      )
      if (context.cancelled()) throw new GeometryError('CANCELLED', 'Stopped at your request; nothing was changed.')
      const wrong = ends.find((e) => e !== null)
      if (wrong) {
        // A thread that broke would never answer again: the next run starts fresh ones.
        await this.close()
        throw new Error(wrong)
      }
    } finally {
      clearInterval(look)
    }
  }

  async close(): Promise<void> {
    await Promise.all((this.workers ?? []).map((w) => w.terminate()))
    this.workers = null
  }
}
