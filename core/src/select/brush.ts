import { GeometryError } from '../errors'
import { emptyBits, setBit } from './bits'
import { chunksNear, type Chunks } from '../spatial/chunks'
import type { Items } from './lasso'

/**
 * Items within a radius of a brush stroke: a chain of places on the surface, each joined to the next.
 * @param stroke x, y, z … in the coordinates of the items, mm
 * @param facing where given, only items whose normals lie within a right angle of it are taken, so that a brush on a
 * thin wall does not reach its back
 * @returns their numbers, in no order, each once
 * @throws PARAMS for a radius that is not more than 0, or an empty stroke
 */
export function itemsUnderBrush(
  items: Items,
  stroke: ArrayLike<number>,
  radiusMm: number,
  chunks: Chunks | null,
  facing: readonly [number, number, number] | null = null,
): number[] {
  if (!(radiusMm > 0) || !Number.isFinite(radiusMm))
    throw new GeometryError('PARAMS', `The brush must be wider than 0 mm, not ${radiusMm}.`)
  if (stroke.length < 3) throw new GeometryError('PARAMS', 'The stroke has no place.')
  const { normals: q } = items
  const p = chunks?.positions ?? items.positions
  const n = p.length / 3
  const size = chunks?.size ?? n
  const limit = radiusMm * radiusMm
  const stretches = Float64Array.from(stretchesOf(stroke).flat())
  const out: number[] = []
  for (const [c, near] of chunks
    ? chunksByStretch(chunks, stretches, radiusMm)
    : [[0, Array.from({ length: stretches.length / LONG }, (_, s) => s * LONG)] as const]) {
    for (let at = c * size, e = Math.min(n, at + size); at < e; at++) {
      const k = at * 3
      const px = p[k],
        py = p[k + 1],
        pz = p[k + 2]
      let within = false
      for (let j = 0; j < near.length && !within; j++) {
        const s = near[j]
        const dx = stretches[s + 3],
          dy = stretches[s + 4],
          dz = stretches[s + 5]
        let x = px - stretches[s],
          y = py - stretches[s + 1],
          z = pz - stretches[s + 2]
        // How far along the stretch it is nearest, as a share.
        let t = (x * dx + y * dy + z * dz) * stretches[s + 6]
        t = t < 0 ? 0 : t > 1 ? 1 : t
        x -= t * dx
        y -= t * dy
        z -= t * dz
        within = x * x + y * y + z * z <= limit
      }
      if (!within) continue
      const i = chunks ? chunks.order[at] : at
      if (facing && q && q[i * 3] * facing[0] + q[i * 3 + 1] * facing[1] + q[i * 3 + 2] * facing[2] < 0) continue
      out.push(i)
    }
  }
  return out
}

/** Numbers a stretch is: where it begins, where it goes, one over its length squared. */
const LONG = 7

/** From each place to the next; a single place is a stretch of no length. */
function stretchesOf(stroke: ArrayLike<number>): number[][] {
  const out: number[][] = []
  for (let s = 0; s === 0 || s + 5 < stroke.length; s += 3) {
    const to = s + 5 < stroke.length ? s + 3 : s
    const d = [0, 1, 2].map((c) => stroke[to + c] - stroke[s + c])
    const l2 = d.reduce((sum, v) => sum + v * v, 0)
    out.push([stroke[s], stroke[s + 1], stroke[s + 2], ...d, l2 > 0 ? 1 / l2 : 0])
  }
  return out
}

/** Chunks that stretches come near, each with the places in the list of those that do. */
function chunksByStretch(chunks: Chunks, stretches: Float64Array, radiusMm: number): Map<number, number[]> {
  const out = new Map<number, number[]>()
  for (let s = 0; s < stretches.length; s += LONG) {
    const a = stretches.subarray(s, s + 3),
      b = a.map((v, c) => v + stretches[s + 3 + c])
    for (const c of chunksNear(chunks, a, b, radiusMm)) {
      const list = out.get(c)
      if (list) list.push(s)
      else out.set(c, [s])
    }
  }
  return out
}

/** Those items as a set. */
export function selectByBrush(
  items: Items,
  stroke: ArrayLike<number>,
  radiusMm: number,
  chunks: Chunks | null,
  facing: readonly [number, number, number] | null = null,
): Uint8Array {
  const bits = emptyBits(items.positions.length / 3)
  for (const i of itemsUnderBrush(items, stroke, radiusMm, chunks, facing)) setBit(bits, i)
  return bits
}
