import type { Part } from './part'

/**
 * A loop that can be shared out: each share reads the same input, whose arrays lie in shared memory, and writes other
 * places of it. `tick` hears how many items are done, and throws to stop.
 */
export type KernelLoop<Input> = (input: Input, part: Part, tick: (done: number) => void) => void

/** A loop under the name by which threads know it. */
export interface Kernel<Input> {
  readonly name: string
  readonly loop: KernelLoop<Input>
}

const kernels = new Map<string, Kernel<never>>()

/**
 * Defined beside the algorithm it belongs to; `kernels.ts` lists those files for the threads. The input is made of
 * numbers, arrays of numbers, lists and plain objects: see `inShared`.
 */
export function defineKernel<Input>(name: string, loop: KernelLoop<Input>): Kernel<Input> {
  if (kernels.has(name)) throw new Error(`kernel ${name} is defined twice`)
  const kernel = { name, loop }
  kernels.set(name, kernel)
  return kernel
}

/** @throws for a name that is no kernel, or whose file was not imported */
export function kernelNamed(name: string): KernelLoop<unknown> {
  const kernel = kernels.get(name)
  if (!kernel) throw new Error(`no kernel is called ${name}`)
  return kernel.loop as KernelLoop<unknown>
}
