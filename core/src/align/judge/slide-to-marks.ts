import { compose, transformPoint, type Motion } from '../../linear/rigid'
import type { Mark } from '../marks/mark'
import type { FreeMotion } from '../slippage'
import { alongFreedom, speedAlong } from '../freedom'
import type { Slide } from '../freedom'

const PASSES = 3
const STEPS = 12

/**
 * Along what the shapes leave free nearest points still drag their feet (the noise of their normals looks like
 * stiffness), so that marks would pull takes along it only slowly. Here they are moved along it at once, to where their
 * marks come together; what the shapes hold is not touched.
 * @param modes of the joined set, in the same numbering as the motions
 * @returns motions with the movers moved; the very ones given where no mark has a say
 */
export function slideToMarks(
  modes: readonly Slide[],
  motions: readonly Motion[],
  marks: readonly Mark[],
): readonly Motion[] {
  let out = motions
  const loose = modes.filter((m) => !m.heldByShape)
  for (let pass = 0; pass < PASSES; pass++)
    for (const mode of loose) {
      const crossing = marks.filter((m) => mode.movers.includes(m.a) !== mode.movers.includes(m.b))
      if (crossing.length === 0) continue
      const ends = crossing.map((m) => {
        const p = transformPoint(out[m.a], ...m.atA),
          q = transformPoint(out[m.b], ...m.atB)
        return {
          from: mode.movers.includes(m.a) ? p : q,
          to: mode.movers.includes(m.a) ? q : p,
          weight: 1 / m.sigmaMm ** 2,
        }
      })
      const by = alongFreedom(mode.motion, bestAmount(mode.motion, ends))
      out = out.map((m, i) => (mode.movers.includes(i) ? compose(by, m) : m))
    }
  return out
}

/** Radians of a turn or screw, mm of a shift: least squares over the marks, by Gauss–Newton along the one freedom. */
function bestAmount(
  m: FreeMotion,
  ends: readonly {
    readonly from: readonly [number, number, number]
    readonly to: readonly [number, number, number]
    readonly weight: number
  }[],
): number {
  let amount = 0
  for (let step = 0; step < STEPS; step++) {
    let toward = 0,
      stiff = 0
    const here = alongFreedom(m, amount)
    for (const { from, to, weight } of ends) {
      const p = transformPoint(here, ...from)
      const d = speedAlong(m, p)
      for (let k = 0; k < 3; k++) {
        toward += weight * d[k] * (to[k] - p[k])
        stiff += weight * d[k] * d[k]
      }
    }
    if (!(stiff > 0)) return amount
    // Never more than half a radian at once, or a far start would overshoot.
    const move = toward / stiff
    amount += m.kind === 'translation' ? move : Math.max(-0.5, Math.min(0.5, move))
  }
  return amount
}
