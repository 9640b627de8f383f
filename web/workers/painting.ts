import { countBits, emptyBits, hasBit } from '@holosoma/core/select'
import { NOWHERE, orderOf } from './marking'

/*
 * A hand that paints changes little at a time. What is chosen on a shape stays with the worker between stretches, and
 * only what a stretch changes is told, so that it costs what it paints and not what there is.
 */

/** What one stretch of the brush changed on a shape. */
export interface Stretch {
  /** Points that are chosen now and were not, or the other way round. */
  readonly changed: Uint32Array
  /** Their places in the preview, of those that are in it. */
  readonly slots: Uint32Array
  /** How many points the preview has. */
  readonly shown: number
  /** How many are chosen now. */
  readonly count: number
  /** Stands for what is chosen now: the next stretch may go on from it. */
  readonly stamp: number
}

/** What counts as chosen before a stretch: what a stamp stands for, or these points. */
export type Before = { readonly stamp: number } | { readonly bits: Uint8Array | null }

interface Canvas {
  readonly bits: Uint8Array
  count: number
  stamp: number
}
const canvases = new WeakMap<object, Canvas>()
let stamps = 0

/**
 * Adds points to what is chosen of a shape, or takes them out.
 * @param of the shape; nothing of it is asked but who it is
 * @param items numbers of the points, in any order
 * @returns null where what the stamp stands for is not known here any more
 */
export function paint(
  of: object,
  points: number,
  items: ArrayLike<number>,
  how: 'add' | 'subtract',
  before: Before,
): Stretch | null {
  let canvas = canvases.get(of)
  if ('stamp' in before) {
    if (canvas?.stamp !== before.stamp) return null
  } else {
    const bits = before.bits?.slice() ?? emptyBits(points)
    canvases.set(of, (canvas = { bits, count: countBits(bits), stamp: 0 }))
  }
  const { bits } = canvas
  const { slots: places, points: shown } = orderOf(points)
  const changed: number[] = [],
    slots: number[] = []
  for (let k = 0; k < items.length; k++) {
    const i = items[k]
    if (hasBit(bits, i) === (how === 'add')) continue
    bits[i >> 3] ^= 1 << (i & 7)
    changed.push(i)
    if (places[i] !== NOWHERE) slots.push(places[i])
  }
  canvas.count += how === 'add' ? changed.length : -changed.length
  canvas.stamp = ++stamps
  return {
    changed: Uint32Array.from(changed),
    slots: Uint32Array.from(slots),
    shown: shown.length,
    count: canvas.count,
    stamp: canvas.stamp,
  }
}
