import type { KernelArray } from '../context'

type Maker<T> = new (buffer: ArrayBufferLike) => T

/** A fresh array, in shared memory where the work is shared out. */
export function allocate<T extends KernelArray>(
  type: Maker<T> & { readonly BYTES_PER_ELEMENT: number },
  length: number,
  shared: boolean,
): T {
  const bytes = length * type.BYTES_PER_ELEMENT
  return new type(shared ? new SharedArrayBuffer(bytes) : new ArrayBuffer(bytes))
}

/** The same numbers in shared memory. */
export function inShared<T extends KernelArray>(values: T): T {
  if (values.buffer instanceof SharedArrayBuffer) return values
  const out = allocate(values.constructor as Maker<T> & { readonly BYTES_PER_ELEMENT: number }, values.length, true)
  out.set(values)
  return out
}
