import { mm } from '../findings'
import { compose, rotationMotion, shiftMotion, type Motion } from '../linear/rigid'
import type { FreeMotion } from './slippage'

/** The motion that goes so far along a freedom: radians of a turn or screw, mm of a shift. */
export function alongFreedom({ kind, axis, point, pitchMm }: FreeMotion, amount: number): Motion {
  const shift = kind === 'translation' ? amount : kind === 'screw' ? amount * pitchMm : 0
  const turn =
    kind === 'translation'
      ? shiftMotion(0, 0, 0)
      : compose(
          shiftMotion(...point),
          compose(rotationMotion(axis, amount), shiftMotion(-point[0], -point[1], -point[2])),
        )
  return compose(shiftMotion(axis[0] * shift, axis[1] * shift, axis[2] * shift), turn)
}

/** How fast a place moves along it, mm for a unit of it. */
export function speedAlong(
  { kind, axis, point, pitchMm }: FreeMotion,
  p: readonly [number, number, number],
): [number, number, number] {
  if (kind === 'translation') return [...axis]
  const [x, y, z] = [p[0] - point[0], p[1] - point[1], p[2] - point[2]]
  const rise = kind === 'screw' ? pitchMm : 0
  return [
    axis[1] * z - axis[2] * y + axis[0] * rise,
    axis[2] * x - axis[0] * z + axis[1] * rise,
    axis[0] * y - axis[1] * x + axis[2] * rise,
  ]
}

/** Takes that can move against the others, and how. */
export interface Slide {
  readonly motion: FreeMotion
  readonly movers: readonly number[]
  readonly stayers: readonly number[]
  /** The shapes hold it; else marks or colours do, or nothing. */
  readonly heldByShape: boolean
}

function axisWords(axis: readonly [number, number, number]): string {
  const [x, y, z] = axis.map(Math.abs) as [number, number, number]
  if (z > 0.96) return 'up and down'
  if (x > 0.96) return 'left and right'
  if (y > 0.96) return 'front to back'
  return z < 0.2 ? 'level, at a slant' : 'at a slant'
}

/** A motion as a person would say it. */
export function motionWords(m: FreeMotion): string {
  const direction = axisWords(m.axis)
  if (m.kind === 'translation') return `slide ${m.free ? '' : `${mm(m.playMm)} `}${direction}`
  if (m.kind === 'rotation') return `turn about an axis that runs ${direction}`
  return `screw along an axis that runs ${direction}`
}
