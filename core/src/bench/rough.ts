import { compose, rotationMotion, shiftMotion, transformPoint, type Motion } from '../linear/rigid'
import { seededRandom } from '../linear/random'

/** A rough start as a person would give it: the truth, off by a few degrees and millimetres. */
export function roughMotion(
  truth: Motion,
  about: readonly number[],
  seed: number,
  degrees: number,
  millimetres: number,
): Motion {
  const random = seededRandom(seed)
  const axis = [random.gaussian(), random.gaussian(), random.gaussian()]
  const turn = rotationMotion(axis, (degrees * Math.PI) / 180)
  const c = transformPoint(truth, about[0], about[1], about[2])
  const direction = [random.gaussian(), random.gaussian(), random.gaussian()]
  const l = Math.hypot(direction[0], direction[1], direction[2]) || 1
  const shift = shiftMotion(
    (direction[0] / l) * millimetres,
    (direction[1] / l) * millimetres,
    (direction[2] / l) * millimetres,
  )
  return [shift, shiftMotion(...c), turn, shiftMotion(-c[0], -c[1], -c[2])].reduceRight((m, e) => compose(e, m), truth)
}
