/*
 * Sets of points or faces, one bit each, lowest bit first. All of one length; nothing here knows what the items are.
 */

export const emptyBits = (count: number): Uint8Array => new Uint8Array((count + 7) >> 3)
export const hasBit = (bits: Uint8Array, i: number): boolean => (bits[i >> 3]! & (1 << (i & 7))) !== 0
export const setBit = (bits: Uint8Array, i: number): void => {
  bits[i >> 3]! |= 1 << (i & 7)
}

const ONES = Uint8Array.from({ length: 256 }, (_, v) => [0, 1, 2, 3, 4, 5, 6, 7].reduce((n, b) => n + ((v >> b) & 1), 0))

/** How many are in the set. */
export function countBits(bits: Uint8Array): number {
  let n = 0
  for (let i = 0; i < bits.length; i++) n += ONES[bits[i]!]!
  return n
}

/** What to do with what is chosen next. */
export type Combine = 'replace' | 'add' | 'subtract'

/** Old and new together, fresh. */
export function combine(old: Uint8Array, next: Uint8Array, how: Combine): Uint8Array {
  if (how === 'replace') return next.slice()
  const out = new Uint8Array(old.length)
  for (let i = 0; i < out.length; i++) out[i] = how === 'add' ? old[i]! | next[i]! : old[i]! & ~next[i]!
  return out
}

/** Everything that is not in the set; bits past the last item stay clear. */
export function invert(bits: Uint8Array, count: number): Uint8Array {
  const out = bits.map((b) => ~b)
  if (count & 7) out[out.length - 1]! &= (1 << (count & 7)) - 1
  return out
}

/** Numbers of the items in the set, ascending. */
export function indicesOf(bits: Uint8Array): Int32Array {
  const out = new Int32Array(countBits(bits))
  let at = 0
  for (let b = 0; b < bits.length; b++) for (let v = bits[b]!, k = b * 8; v !== 0; v >>= 1, k++) if (v & 1) out[at++] = k
  return out
}

/** A set of the items whose mask is not 0. */
export function bitsOf(mask: ArrayLike<number>): Uint8Array {
  const out = emptyBits(mask.length)
  for (let i = 0; i < mask.length; i++) if (mask[i] !== 0) setBit(out, i)
  return out
}
