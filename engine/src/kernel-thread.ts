import { parentPort, workerData } from 'node:worker_threads'
import { kernelNamed } from '@holosoma/core/kernels'

export interface KernelTask {
  kernel: string
  input: unknown
  index: number
  of: number
}

/** One thread: `shared[0]` says stop, `shared[1 + index]` how many items it has done. */
const { shared } = workerData as { shared: Int32Array }
parentPort!.on('message', ({ kernel, input, index, of }: KernelTask) => {
  try {
    kernelNamed(kernel)(input, { index, of }, (done) => {
      Atomics.store(shared, 1 + index, done)
      if (Atomics.load(shared, 0) === 1) throw new Error('stopped')
    })
    parentPort!.postMessage(null)
  } catch (error) {
    parentPort!.postMessage((error as Error).message)
  }
})
