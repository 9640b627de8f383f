import type { Shape } from '@holosoma/core'
import { sameBits } from '@holosoma/core/select/bits'
import { previewIndices } from '@holosoma/core/preview'

/* Which of a shape's preview points are among its chosen full ones. */

/** Of a number of points: which are in the preview, in its order, and where in it each point stands (NOWHERE for those that are not). */
interface Order { readonly points: Uint32Array; readonly slots: Uint32Array }
const NOWHERE = 0xffffffff
const orders = new Map<number, Order>()
const MOST_ORDERS = 20

function orderOf(count: number): Order {
  let order = orders.get(count)
  if (!order) {
    const points = previewIndices(count), slots = new Uint32Array(count).fill(NOWHERE)
    points.forEach((i, k) => (slots[i] = k))
    orders.set(count, (order = { points, slots }))
    if (orders.size > MOST_ORDERS) orders.delete(orders.keys().next().value!)
  }
  return order
}

/** What was answered last for a shape. */
const answered = new WeakMap<Shape, { readonly bits: Uint8Array; readonly mark: Uint8Array }>()

/**
 * One byte for each preview point, 1 where it is chosen. A hand that paints changes little at a time: where what was chosen before is what was answered
 * last, only the change is gone through.
 * @param before what was chosen before, if anything was
 */
export function markOf(bits: Uint8Array, shape: Shape, before: Uint8Array | null = null): Uint8Array {
  const order = orderOf(shape.positions.length / 3)
  const last = before ? answered.get(shape) : undefined
  const mark = last && sameBits(last.bits, before!) ? changed(last.mark.slice(), last.bits, bits, order.slots) : whole(bits, order.points)
  // What is answered goes to the page; what is kept is a copy.
  answered.set(shape, { bits: bits.slice(), mark: mark.slice() })
  return mark
}

function whole(bits: Uint8Array, points: Uint32Array): Uint8Array {
  const out = new Uint8Array(points.length)
  for (let k = 0; k < out.length; k++) {
    const i = points[k]!
    out[k] = (bits[i >> 3]! >> (i & 7)) & 1
  }
  return out
}

function changed(mark: Uint8Array, from: Uint8Array, to: Uint8Array, slots: Uint32Array): Uint8Array {
  for (let b = 0; b < to.length; b++) {
    let differs = from[b]! ^ to[b]!
    for (let i = b * 8; differs !== 0; differs >>= 1, i++) if (differs & 1 && slots[i]! !== NOWHERE) mark[slots[i]!] = (to[b]! >> (i & 7)) & 1
  }
  return mark
}
