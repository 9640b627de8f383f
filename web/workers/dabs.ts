import type { Vector } from './selecting'

/** Where a pointer met a surface, and how hard it was pressed, 0–1. */
export interface Spot {
  readonly at: Vector
  readonly pressure: number
}

/** Dabs of a stroke lie this share of the brush's radius apart. */
const APART = 0.2
/** A stretch makes no more dabs than this, however fast the hand was. */
const MOST = 60
/** A record keeps places to a ten-thousandth of a millimetre, and pressure to a hundredth. */
const tidy = (v: number, digits: number): number => Math.round(v * 10 ** digits) / 10 ** digits

/**
 * Dabs along a stretch of a stroke, evenly apart: where the hand was quick they lie on the straight way between the
 * places it met.
 * @param last where the stretch before it ended; null: the stroke begins, with a dab
 */
export function dabsAlong(
  last: Spot | null,
  spots: readonly Spot[],
  radiusMm: number,
): { dabs: [number, number, number, number][]; last: Spot | null } {
  const dabs: [number, number, number, number][] = []
  const step = APART * radiusMm
  let at = last
  for (const spot of spots) {
    if (!at) {
      dabs.push(dabOf(spot))
      at = spot
      continue
    }
    const from = at
    const way = Math.hypot(...spot.at.map((v, c) => v - from.at[c]))
    const count = Math.floor(way / step)
    for (let k = 1; k <= count && dabs.length < MOST; k++) {
      const t = (k * step) / way
      const between: Spot = {
        at: spot.at.map((v, c) => from.at[c] + t * (v - from.at[c])) as Vector,
        pressure: from.pressure + t * (spot.pressure - from.pressure),
      }
      dabs.push(dabOf(between))
      at = between
    }
    if (dabs.length >= MOST) return { dabs, last: spot }
  }
  return { dabs, last: at }
}

const dabOf = ({ at, pressure }: Spot): [number, number, number, number] => [
  tidy(at[0], 4),
  tidy(at[1], 4),
  tidy(at[2], 4),
  tidy(pressure, 2),
]
