import type { KernelArray } from '../context'
import type { Part } from './part'

/**
 * A loop that can be shared out: it reads and writes arrays, each share other places of them. `tick` hears how many
 * items are done, and throws to stop.
 */
export type KernelLoop = (
  arrays: Readonly<Record<string, KernelArray>>,
  params: Readonly<Record<string, number>>,
  part: Part,
  tick: (done: number) => void,
) => void

/** A loop under the name by which threads know it. */
export interface Kernel {
  readonly name: string
  readonly loop: KernelLoop
}

const kernels = new Map<string, Kernel>()

/** Defined beside the algorithm it belongs to; `kernels.ts` lists those files for the threads. */
export function defineKernel(name: string, loop: KernelLoop): Kernel {
  if (kernels.has(name)) throw new Error(`kernel ${name} is defined twice`)
  const kernel = { name, loop }
  kernels.set(name, kernel)
  return kernel
}

/** @throws for a name that is no kernel, or whose file was not imported */
export function kernelNamed(name: string): KernelLoop {
  const kernel = kernels.get(name)
  if (!kernel) throw new Error(`no kernel is called ${name}`)
  return kernel.loop
}
