import { compose, rotationMotion, shiftMotion, type Motion } from '../../linear/rigid'
import type { FreeMotion } from '../slippage'

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
