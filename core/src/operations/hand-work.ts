import Joi from 'joi'
import { stage, type RunContext } from '../context'
import { GeometryError } from '../errors'
import { grouped, mm, type Finding } from '../findings'
import { checkHealth } from '../mesh/health'
import { RawSurface } from '../sculpt/raw-surface'
import { Sculpture } from '../sculpt/sculpture'
import type { Sculpted } from '../sculpt/stroke'
import type { Bounds, PointCloud, TriangleMesh } from '../shapes'
import type { Motions } from './artefacts'
import { optional, WORKS_ON } from './inputs'
import { healthDetails, healthFigures, healthFindings, type HealthDetails } from './mend'
import { type Estimate, type Figures, type ResultOf } from './operation'
import { somePlaces } from './places-of-acts'
import { pointsUnderSkin, UNDER_SKIN, type UnderSkin } from './skin-takes'

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
  ...UNDER_SKIN,
}

/** The lengths among it, on a mesh that is so much larger. */
export const heldTo = ({ capMm, toleranceMm }: Held, scale: number): Pick<Held, 'capMm' | 'toleranceMm'> => ({
  capMm: capMm * scale,
  toleranceMm: toleranceMm === null ? null : toleranceMm * scale,
})

interface Ground {
  readonly takes?: readonly PointCloud[] | undefined
  readonly motions?: Motions | undefined
}

/** What the takes say of a surface, near the given places; null where there are no takes. */
export function rawSurfaceOf(
  { takes, motions }: Ground,
  params: UnderSkin,
  box: Bounds | null,
  context: RunContext,
): RawSurface | null {
  if (!takes || takes.length === 0) return null
  return new RawSurface(pointsUnderSkin({ takes, ...(motions && { motions }) }, params, context), box)
}

/** What all work by hand works on. */
export const HAND_INPUTS = {
  mesh: WORKS_ON.skin,
  takes: optional(WORKS_ON.takes),
  motions: optional(WORKS_ON.join),
} as const

/** What such an act tells besides the health of what it leaves: some places that were moved, x, y, z … */
export interface HandDetails extends HealthDetails {
  readonly brushed: readonly number[]
}

/** What it costs, but for the work itself. */
export const handEstimate = ({ mesh, takes = [] }: Ground & { mesh: TriangleMesh }): Estimate => ({
  work: mesh.indices.length / 5e5 + takes.length * 0.3,
  bytes: mesh.indices.byteLength * 12 + takes.reduce((n, t) => n + t.positions.byteLength * 3, 0),
})

/**
 * Works on a surface by hand, held to what the takes say, and tells what came of it.
 * @param box where the takes are asked; null: everywhere @param nothing what is said where nothing moved
 */
export function workByHand(
  { mesh, ...ground }: Ground & { mesh: TriangleMesh },
  { capMm, toleranceMm, reason, ...under }: Held,
  box: Bounds | null,
  work: (surface: Sculpture, context: RunContext) => void,
  nothing: (told: Sculpted, capMm: number, hasTakes: boolean) => string,
  context: RunContext,
): ResultOf<'mend.brush'> {
  const cap = Math.min(capMm, toleranceMm ?? Infinity)
  const raw = rawSurfaceOf(ground, under, box, stage(context, 0, 0.3))
  const surface = new Sculpture(mesh, { capMm: reason === null ? cap : Infinity, raw })
  work(surface, stage(context, 0.3, 0.7))
  const told = surface.told()
  if (told.moved === 0) throw new GeometryError('EMPTY', nothing(told, cap, raw !== null))
  const out = surface.result()
  const health = checkHealth(out, stage(context, 0.7, 1))
  return {
    outputs: { mesh: out },
    figures: { capMm: cap, forced: reason !== null, withTakes: raw !== null, ...told, ...healthFigures(health) },
    findings: [...healthFindings(health), ...capFindings(told, cap, capMm, reason, raw !== null)],
    details: { ...healthDetails(out, health), brushed: somePlaces(surface.places()) },
  }
}

/** How far it went, at the end of what is said of such an act. */
export const heldText = (reason: string | null, { mostMm, capMm }: Figures): string =>
  `moved by ${mm(Number(mostMm), 3)} at most, ` +
  (reason === null ? `held to ${mm(Number(capMm))}` : `the cap left aside: ${reason}`)

/** The places it is found by again. */
export const brushedOf = (details: unknown): readonly number[] =>
  (details as Partial<HandDetails> | null)?.brushed ?? []

/** What the cap did, and what it was held against. */
function capFindings(
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
