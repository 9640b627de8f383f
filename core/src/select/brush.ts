import { GeometryError } from '../errors'
import { emptyBits, setBit } from './bits'
import { chunksNear, type Chunks } from '../spatial/chunks'
import type { Items } from './lasso'

/**
 * Items within a radius of a brush stroke: a chain of places on the surface, each joined to the next.
 * @param stroke x, y, z … in the coordinates of the items, mm
 * @param facing where given, only items whose normals lie within a right angle of it are taken, so that a brush on a thin wall does not reach its back
 * @returns their numbers, in no order; one that several stretches reach is named by each
 * @throws PARAMS for a radius that is not more than 0, or an empty stroke
 */
export function itemsUnderBrush(items: Items, stroke: ArrayLike<number>, radiusMm: number, chunks: Chunks | null, facing: readonly [number, number, number] | null = null): number[] {
  if (!(radiusMm > 0) || !Number.isFinite(radiusMm)) throw new GeometryError('PARAMS', `The brush must be wider than 0 mm, not ${radiusMm}.`)
  if (stroke.length < 3) throw new GeometryError('PARAMS', 'The stroke has no place.')
  const { normals: q } = items
  const p = chunks?.positions ?? items.positions
  const n = p.length / 3
  const size = chunks?.size ?? n
  const limit = radiusMm * radiusMm
  const out: number[] = []
  for (let s = 0; s + 2 < stroke.length; s += 3) {
    const last = s + 5 >= stroke.length
    if (last && s > 0) break
    const a = [stroke[s]!, stroke[s + 1]!, stroke[s + 2]!] as const
    const b = last ? a : ([stroke[s + 3]!, stroke[s + 4]!, stroke[s + 5]!] as const)
    const [ax, ay, az] = a
    const dx = b[0] - ax, dy = b[1] - ay, dz = b[2] - az
    const l2 = dx * dx + dy * dy + dz * dz
    for (const c of chunks ? chunksNear(chunks, a, b, radiusMm) : [0]) {
      for (let at = c * size, e = Math.min(n, at + size); at < e; at++) {
        const k = at * 3
        let x = p[k]! - ax, y = p[k + 1]! - ay, z = p[k + 2]! - az
        const t = l2 > 0 ? Math.min(1, Math.max(0, (x * dx + y * dy + z * dz) / l2)) : 0
        x -= t * dx
        y -= t * dy
        z -= t * dz
        if (x * x + y * y + z * z > limit) continue
        const i = chunks ? chunks.order[at]! : at
        if (facing && q && q[i * 3]! * facing[0] + q[i * 3 + 1]! * facing[1] + q[i * 3 + 2]! * facing[2] < 0) continue
        out.push(i)
      }
    }
  }
  return out
}

/** Those items as a set. */
export function selectByBrush(items: Items, stroke: ArrayLike<number>, radiusMm: number, chunks: Chunks | null, facing: readonly [number, number, number] | null = null): Uint8Array {
  const bits = emptyBits(items.positions.length / 3)
  for (const i of itemsUnderBrush(items, stroke, radiusMm, chunks, facing)) setBit(bits, i)
  return bits
}
