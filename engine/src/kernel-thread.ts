import { parentPort, workerData } from 'node:worker_threads'
import { kernelNamed } from '@holosoma/core/kernels'
import type { KernelArray } from '@holosoma/core'

export interface KernelTask {
  kernel: string
  arrays: Record<string, KernelArray>
  params: Record<string, number>
  index: number
  of: number
}

/** One thread: `shared[0]` says stop, `shared[1 + index]` how many items it has done. */
const { shared } = workerData as { shared: Int32Array }
parentPort!.on('message', ({ kernel, arrays, params, index, of }: KernelTask) => {
  try {
    kernelNamed(kernel)(arrays, params, { index, of }, (done) => {
      Atomics.store(shared, 1 + index, done)
      if (Atomics.load(shared, 0) === 1) throw new Error('stopped')
    })
    parentPort!.postMessage(null)
  } catch (error) {
    parentPort!.postMessage((error as Error).message)
  }
})
