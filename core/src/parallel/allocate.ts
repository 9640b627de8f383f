export type KernelArray = Float32Array | Float64Array | Int32Array | Uint8Array | Uint16Array

type Maker<T> = (new (buffer: ArrayBufferLike) => T) & { readonly BYTES_PER_ELEMENT: number }

/** A fresh array, in shared memory where the work is shared out. */
export function allocate<T extends KernelArray>(type: Maker<T>, length: number, shared: boolean): T {
  const bytes = length * type.BYTES_PER_ELEMENT
  return new type(shared ? new SharedArrayBuffer(bytes) : new ArrayBuffer(bytes))
}

/** Whether values lie where other threads see them. */
export const isInShared = (values: KernelArray): boolean =>
  typeof SharedArrayBuffer !== 'undefined' && values.buffer instanceof SharedArrayBuffer

/**
 * The same value with all its arrays of numbers in shared memory, so that threads can be handed it: lists and plain
 * objects are gone through, what is shared already stays where it is.
 * @throws for an object of a class, which would arrive as a plain one
 */
export function inShared<T>(value: T): T {
  if (ArrayBuffer.isView(value)) {
    const values = value as unknown as KernelArray
    if (isInShared(values)) return value
    const out = allocate(values.constructor as Maker<KernelArray>, values.length, true)
    out.set(values)
    return out as unknown as T
  }
  if (Array.isArray(value)) return value.map((v: unknown) => inShared(v)) as T
  if (typeof value !== 'object' || value === null) return value
  if (Object.getPrototypeOf(value) !== Object.prototype)
    throw new Error(`${value.constructor.name} cannot be handed to a thread`)
  return Object.fromEntries(Object.entries(value).map(([k, v]) => [k, inShared(v)])) as T
}
