import { outside, type Chunks } from './chunks'
import { emptyBits, setBit } from './bits'
import { frontTest, type DepthBuffer } from './front'
import { polygonMask, type Mask, type View } from './view'

/** Points, or faces by their middles. */
export interface Items {
  readonly positions: Float32Array
  readonly normals?: Float32Array
  /** false: which side of the surface a normal points to is not known. @defaultValue true */
  readonly oriented?: boolean
}

/**
 * Items whose place on the stage lies inside a polygon: all of them, or with `front` only those that nothing hides.
 * @param chunks boxes over stretches of the items, which are skipped whole where they lie outside
 * @returns a set, one bit an item
 */
export function selectInPolygon(items: Items, view: View, polygon: ArrayLike<number>, chunks: Chunks | null, front: (DepthBuffer & { readonly toleranceMm?: number }) | null): Uint8Array {
  const bits = emptyBits(items.positions.length / 3)
  const mask = polygonMask(polygon, view)
  if (mask.width === 0 || mask.height === 0) return bits
  const shows = front ? frontTest(items, view, front) : null
  const n = items.positions.length / 3
  const size = chunks?.size ?? n
  for (let c = 0, from = 0; from < n; c++, from += size) {
    if (chunks && outside(chunks, c, view, mask)) continue
    scan(items.positions, from, Math.min(n, from + size), view, mask, bits, shows)
  }
  return bits
}

function scan(p: Float32Array, from: number, to: number, view: View, mask: Mask, bits: Uint8Array, shows: ((i: number, pixel: number) => boolean) | null): void {
  const m = Float64Array.from(view.matrix)
  const [m0, m1, m2, m3, m4, m5, m6, m7, , , , , m12, m13, m14, m15] = m as unknown as number[]
  const halfW = view.width / 2, halfH = view.height / 2
  const { left, top, width, height, inside } = mask
  for (let i = from, k = from * 3; i < to; i++, k += 3) {
    const x = p[k]!, y = p[k + 1]!, z = p[k + 2]!
    const w = m12! * x + m13! * y + m14! * z + m15!
    if (!(w > 0)) continue
    const u = ((m0! * x + m1! * y + m2! * z + m3!) / w + 1) * halfW - left
    if (!(u >= 0 && u < width)) continue
    const v = (1 - (m4! * x + m5! * y + m6! * z + m7!) / w) * halfH - top
    if (!(v >= 0 && v < height)) continue
    if (inside[(v | 0) * width + (u | 0)] === 1 && (!shows || shows(i, ((v | 0) + top) * view.width + (u | 0) + left))) setBit(bits, i)
  }
}
