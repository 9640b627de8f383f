import { checkpoint, type KernelArray, type RunContext } from '../context'
import { WHOLE } from '../spatial/neighbourhoods'
import { kernelNamed } from './kernels'

/** Fewer points than this are not worth starting threads for. */
const LEAST = 150_000

/** Whether a loop over so many items is shared out. */
export const isShared = (context: RunContext, items: number, least = LEAST): boolean => !!context.parallel && context.parallel.lanes > 1 && items >= least

type Maker<T> = new (buffer: ArrayBufferLike) => T

/** A fresh array, in shared memory where the work is shared out. */
export function roomFor<T extends KernelArray>(type: Maker<T> & { readonly BYTES_PER_ELEMENT: number }, length: number, shared: boolean): T {
  const bytes = length * type.BYTES_PER_ELEMENT
  return new type(shared ? new SharedArrayBuffer(bytes) : new ArrayBuffer(bytes))
}

/** The same numbers in shared memory. */
export function inShared<T extends KernelArray>(values: T): T {
  if (values.buffer instanceof SharedArrayBuffer) return values
  const out = roomFor(values.constructor as Maker<T> & { readonly BYTES_PER_ELEMENT: number }, values.length, true)
  out.set(values)
  return out
}

/** Runs a kernel on all lanes, or here. The bytes are the same. */
export async function runKernel(name: string, arrays: Readonly<Record<string, KernelArray>>, params: Readonly<Record<string, number>>, items: number, context: RunContext, note: string): Promise<void> {
  if (isShared(context, items)) return context.parallel!.run(name, arrays, params, context, note)
  kernelNamed(name)(arrays, params, WHOLE, (done) => checkpoint(context, done, items, note))
}
