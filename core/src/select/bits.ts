/*
 * Sets of points or faces, one bit each, lowest bit first. All of one length; nothing here knows what the items are.
 */

/** A set of that many items, none of them in it. */
export const emptyBits = (count: number): Uint8Array => new Uint8Array((count + 7) >> 3)
/** Whether an item is in the set. */
export const hasBit = (bits: Uint8Array, i: number): boolean => (bits[i >> 3] & (1 << (i & 7))) !== 0
/** Puts an item into the set. */
export const setBit = (bits: Uint8Array, i: number): void => {
  bits[i >> 3] |= 1 << (i & 7)
}

const ONES = Uint8Array.from({ length: 256 }, (_, v) =>
  [0, 1, 2, 3, 4, 5, 6, 7].reduce((n, b) => n + ((v >> b) & 1), 0),
)

/** A set's whole words of 32 bits; what is left over, and sets that lie askew in memory, go byte by byte. */
const wordsOf = (bits: Uint8Array): Uint32Array =>
  bits.byteOffset & 3 ? NO_WORDS : new Uint32Array(bits.buffer, bits.byteOffset, bits.length >> 2)
const NO_WORDS = new Uint32Array(0)

/** How many are in the set. */
export function countBits(bits: Uint8Array): number {
  const words = wordsOf(bits)
  let n = 0
  for (let i = 0; i < words.length; i++) {
    // Sideways addition (Knuth, The Art of Computer Programming 4A, 7.1.3).
    let v = words[i]
    if (v === 0) continue
    v -= (v >>> 1) & 0x55555555
    v = (v & 0x33333333) + ((v >>> 2) & 0x33333333)
    n += Math.imul((v + (v >>> 4)) & 0x0f0f0f0f, 0x01010101) >>> 24
  }
  for (let i = words.length * 4; i < bits.length; i++) n += ONES[bits[i]]
  return n
}

/** Whether two sets hold the same. */
export function sameBits(a: Uint8Array, b: Uint8Array): boolean {
  if (a.length !== b.length) return false
  const p = wordsOf(a),
    q = wordsOf(b)
  const words = Math.min(p.length, q.length)
  for (let i = 0; i < words; i++) if (p[i] !== q[i]) return false
  for (let i = words * 4; i < a.length; i++) if (a[i] !== b[i]) return false
  return true
}

/** What to do with what is chosen next. */
export type Combine = 'replace' | 'add' | 'subtract'

/** Old and new together, fresh. */
export function combine(old: Uint8Array, next: Uint8Array, how: Combine): Uint8Array {
  if (how === 'replace') return next.slice()
  const out = new Uint8Array(old.length)
  const o = wordsOf(out),
    p = wordsOf(old),
    q = wordsOf(next)
  const words = Math.min(o.length, p.length, q.length)
  for (let i = 0; i < words; i++) o[i] = how === 'add' ? p[i] | q[i] : p[i] & ~q[i]
  for (let i = words * 4; i < out.length; i++) out[i] = how === 'add' ? old[i] | next[i] : old[i] & ~next[i]
  return out
}

/** Everything that is not in the set; bits past the last item stay clear. */
export function invert(bits: Uint8Array, count: number): Uint8Array {
  const out = bits.map((b) => ~b)
  if (count & 7) out[out.length - 1] &= (1 << (count & 7)) - 1
  return out
}

/** Numbers of the items in the set, ascending. */
export function indicesOf(bits: Uint8Array): Int32Array {
  const out = new Int32Array(countBits(bits))
  let at = 0
  for (let b = 0; b < bits.length; b++) for (let v = bits[b], k = b * 8; v !== 0; v >>= 1, k++) if (v & 1) out[at++] = k
  return out
}

/** A set of the items whose mask is not 0. */
export function bitsOf(mask: ArrayLike<number>): Uint8Array {
  const out = emptyBits(mask.length)
  for (let i = 0; i < mask.length; i++) if (mask[i] !== 0) setBit(out, i)
  return out
}
