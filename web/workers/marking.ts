import type { TriangleMesh } from '@holosoma/core'
import { previewIndices } from '@holosoma/core/mesh'
import { areaOfFaces, hasBit } from '@holosoma/core/select'

/* Which of a shape's preview points are among its chosen full ones. */

/**
 * Of a number of points: which are in the preview, in its order, and where in it each point stands (NOWHERE for those
 * that are not).
 */
interface Order {
  readonly points: Uint32Array
  readonly slots: Uint32Array
}
export const NOWHERE = 0xffffffff
const orders = new Map<number, Order>()
const MAX_ORDERS = 20

export function orderOf(count: number): Order {
  let order = orders.get(count)
  if (!order) {
    const points = previewIndices(count),
      slots = new Uint32Array(count).fill(NOWHERE)
    points.forEach((i, k) => (slots[i] = k))
    orders.set(count, (order = { points, slots }))
    if (orders.size > MAX_ORDERS) orders.delete(orders.keys().next().value!)
  }
  return order
}

/** One byte for each preview point of so many, 1 where it is chosen. */
export function markOf(bits: Uint8Array, count: number): Uint8Array {
  const { points } = orderOf(count)
  const out = new Uint8Array(points.length)
  for (let k = 0; k < out.length; k++) {
    const i = points[k]
    out[k] = (bits[i >> 3] >> (i & 7)) & 1
  }
  return out
}

/** One byte for each corner of a mesh, 1 where a face of the set has it, and the surface of the set. */
export function markFaces(mesh: TriangleMesh, bits: Uint8Array): { mark: Uint8Array; areaMm2: number } {
  const mark = new Uint8Array(mesh.positions.length / 3)
  mesh.indices.forEach((v, i) => {
    if (hasBit(bits, Math.floor(i / 3))) mark[v] = 1
  })
  return { mark, areaMm2: areaOfFaces(mesh, bits) }
}
