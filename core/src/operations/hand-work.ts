import Joi from 'joi'
import type { RunContext } from '../context'
import { grouped, mm, type Finding } from '../findings'
import { insideOut } from '../fuse/inside-out'
import { gatherPoints } from '../fuse/points'
import { RawSurface } from '../sculpt/raw-surface'
import type { Sculpted } from '../sculpt/stroke'
import type { Bounds, PointCloud } from '../shapes'
import type { Motions } from './artefacts'
import { ONE_NAME_EACH } from './operation'
import { scaledTake, takesInSkin, turnedOver } from './skin-takes'

/* What all work by hand on a surface has in common: how far it may go, and against what that is held. */

export interface Held {
  capMm: number
  /** What the brief allows any act of mending to move the surface; null: nothing is said. */
  toleranceMm: number | null
  /** Why the cap is left aside; null: it holds. */
  reason: string | null
  names: string[]
  /** Which way is up in the fixed take's frame, as the skin was made with it; null: its third axis. */
  up: number[] | null
  /** By how much the skin was made larger than its takes since. */
  scale: number
}

export const HELD = {
  capMm: Joi.number().min(0).max(1e3).required().label('cap'),
  toleranceMm: Joi.number().positive().allow(null).default(null),
  reason: Joi.string().trim().min(3).max(400).allow(null).default(null).label('reason'),
  names: Joi.array().items(Joi.string()).unique().default([]).messages(ONE_NAME_EACH),
  up: Joi.array().items(Joi.number()).length(3).allow(null).default(null),
  scale: Joi.number().positive().max(1e6).default(1),
}

/** The lengths among it, on a mesh that is so much larger. */
export const heldTo = ({ capMm, toleranceMm }: Held, scale: number): Pick<Held, 'capMm' | 'toleranceMm'> => ({
  capMm: capMm * scale,
  toleranceMm: toleranceMm === null ? null : toleranceMm * scale,
})

/** What the takes say of a surface, near the given places; null where there are no takes. */
export function rawSurfaceOf(
  ground: { readonly takes?: readonly PointCloud[] | undefined; readonly motions?: Motions | undefined },
  params: { readonly names: readonly string[]; readonly up: readonly number[] | null; readonly scale: number },
  box: Bounds | null,
  context: RunContext,
): RawSurface | null {
  const { takes, motions } = ground
  if (!takes || takes.length === 0) return null
  const given = takesInSkin({ takes, ...(motions && { motions }) }, params, context).map((t) =>
    scaledTake(t, params.scale),
  )
  const wrong = insideOut(given)
  return new RawSurface(gatherPoints(given.map((t, i) => (wrong.includes(i) ? turnedOver(t) : t))), box)
}

/** What the cap did, and what it was held against. */
export function capFindings(
  told: Sculpted,
  capMm: number,
  askedMm: number,
  reason: string | null,
  hasTakes: boolean,
): Finding[] {
  if (reason !== null)
    return [
      {
        id: 'mend.forced',
        verdict: 'doubtful',
        text:
          `The cap of ${mm(capMm)} was left aside by hand: ${reason}. The surface lies up to ` +
          (hasTakes && told.fromRawMm > 0
            ? `${mm(told.fromRawMm, 3)} from the takes there.`
            : `${mm(told.mostMm, 3)} from where it was.`),
      },
    ]
  const findings: Finding[] = []
  if (capMm < askedMm)
    findings.push({
      id: 'mend.cap',
      verdict: 'doubtful',
      text: `The brief allows the surface to move by ${mm(capMm)}, not by ${mm(askedMm)}; no point moved farther.`,
      nextMove: 'Widen the tolerance in the brief, or force it with a reason',
    })
  if (told.heldBack > 0)
    findings.push({
      id: 'mend.held',
      verdict: 'sound',
      text:
        `The cap of ${mm(capMm)} held ${grouped(told.heldBack)} points back: ` +
        (!hasTakes
          ? 'from where they were, for no takes were looked at.'
          : told.unmeasured > 0
            ? `from the takes, and from where they were at the ${grouped(told.unmeasured)} of ${grouped(told.moved)} moved ` +
              'that no take has points near.'
            : 'from the takes.'),
    })
  return findings
}
