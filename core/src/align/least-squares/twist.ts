import { compose, shiftMotion, twistMotion, type Motion } from '../../linear/rigid'

/** A small turn (3, rad) and shift (3, mm) about a place, as a motion. */
export function motionAbout(twist: ArrayLike<number>, c: ArrayLike<number>): Motion {
  return compose(shiftMotion(c[0], c[1], c[2]), compose(twistMotion(twist), shiftMotion(-c[0], -c[1], -c[2])))
}
