import Joi from 'joi'
import { checkpoint, stage, type RunContext } from '../context'
import { GeometryError } from '../errors'
import { grouped, mm, type Finding } from '../findings'
import { insideOut } from '../fuse/inside-out'
import { gatherPoints } from '../fuse/points'
import { movedDirection, movedPlace } from '../linear/similarity'
import { checkHealth } from '../mesh/health'
import { RawSurface } from '../sculpt/raw-surface'
import { BRUSHES, Sculpture, type Brush, type Sculpted, type Stroke } from '../sculpt/sculpture'
import type { Bounds, PointCloud } from '../shapes'
import type { Motions } from './artefacts'
import { optional, WORKS_ON } from './inputs'
import { healthDetails, healthFigures, healthFindings, type HealthDetails } from './mend'
import { defineOperation, ONE_NAME_EACH } from './operation'
import { fitsWhereItWas, somePlaces } from './places-of-acts'
import { takesInSkin, turnedOver } from './skin-takes'

interface Params {
  strokes: Stroke[]
  capMm: number
  /** What the brief allows any act of mending to move the surface; null: nothing is said. */
  toleranceMm: number | null
  /** Why the cap is left aside; null: it holds. */
  reason: string | null
  names: string[]
  /** Which way is up in the fixed take's frame, as the skin was made with it; null: its third axis. */
  up: number[] | null
}

declare module './details' {
  interface OperationDetails {
    'mend.brush': HealthDetails & {
      /** Some places that were moved, x, y, z … */
      readonly brushed: readonly number[]
    }
  }
}

/** More dabs than this are more than one act. */
const MOST_STROKES = 400
const MOST_DABS = 20_000

const BRUSHED: Readonly<Record<Brush, string>> = {
  smooth: 'smoothed',
  fill: 'filled up',
  flatten: 'flattened',
  pull: 'pulled to the points',
}

/** What the takes say of a surface, near the given places; null where there are no takes. */
export function rawSurfaceOf(
  ground: { readonly takes?: readonly PointCloud[] | undefined; readonly motions?: Motions | undefined },
  params: { readonly names: readonly string[]; readonly up: readonly number[] | null },
  box: Bounds | null,
  context: RunContext,
): RawSurface | null {
  const { takes, motions } = ground
  if (!takes || takes.length === 0) return null
  const given = takesInSkin({ takes, ...(motions && { motions }) }, params, context)
  const wrong = insideOut(given)
  return new RawSurface(gatherPoints(given.map((t, i) => (wrong.includes(i) ? turnedOver(t) : t))), box)
}

/** Strokes of brushes on the surface, held to what the takes say. */
export const brushSkin = defineOperation({
  name: 'mend.brush',
  version: 1,
  inputs: { mesh: WORKS_ON.skin, takes: optional(WORKS_ON.takes), motions: optional(WORKS_ON.join) },
  params: Joi.object<Params>({
    strokes: Joi.array()
      .items(
        Joi.object<Stroke>({
          brush: Joi.string()
            .valid(...BRUSHES)
            .required(),
          radiusMm: Joi.number().positive().max(1e4).required().label('radius of the brush'),
          strength: Joi.number().min(0).max(1).required(),
          side: Joi.array().items(Joi.number()).length(3).allow(null).default(null),
          onto: Joi.string().valid('plane', 'cylinder').default('plane'),
          dabs: Joi.array()
            .items(Joi.number())
            .min(4)
            .max(MOST_DABS * 4)
            .required(),
        }),
      )
      .min(1)
      .max(MOST_STROKES)
      .required(),
    capMm: Joi.number().min(0).max(1e3).required().label('cap'),
    toleranceMm: Joi.number().positive().allow(null).default(null),
    reason: Joi.string().trim().min(3).max(400).allow(null).default(null).label('reason'),
    names: Joi.array().items(Joi.string()).unique().default([]).messages(ONE_NAME_EACH),
    up: Joi.array().items(Joi.number()).length(3).allow(null).default(null),
  }),
  onPiece: { track: 'mesh', doing: () => 'Working on the surface by hand' },
  again: {
    moved: (params, map) => ({
      ...params,
      capMm: params.capMm * map.scale,
      toleranceMm: params.toleranceMm === null ? null : params.toleranceMm * map.scale,
      strokes: params.strokes.map((s) => ({
        ...s,
        radiusMm: s.radiusMm * map.scale,
        side: s.side && movedDirection(map, s.side),
        dabs: dabsOf(s).flatMap(([x, y, z, pressure]) => [...movedPlace(map, [x, y, z]), pressure]),
      })),
    }),
    curveOf: (details) => (details as { brushed?: readonly number[] } | null)?.brushed ?? [],
    fit: (params, { curve }, mesh, withinMm) => fitsWhereItWas(params, curve, mesh, withinMm, 'what was brushed'),
  },
  estimate: ({ mesh, takes }, { strokes }) => ({
    work: mesh.indices.length / 5e5 + (takes?.length ?? 0) * 0.3 + strokes.length * 0.1,
    bytes: mesh.indices.byteLength * 12 + (takes ?? []).reduce((n, t) => n + t.positions.byteLength * 3, 0),
  }),
  run({ mesh, takes, motions }, { strokes, capMm, toleranceMm, reason, names, up }, context) {
    if (strokes.reduce((n, s) => n + s.dabs.length, 0) > MOST_DABS * 4 || strokes.some((s) => s.dabs.length % 4 !== 0))
      throw new GeometryError('PARAMS', `Keep what is brushed sooner: an act holds ${grouped(MOST_DABS)} dabs at most.`)
    const cap = Math.min(capMm, toleranceMm ?? Infinity)
    const raw = rawSurfaceOf({ takes, motions }, { names, up }, boxOf(strokes, cap), stage(context, 0, 0.3))
    const work = new Sculpture(mesh, { capMm: reason === null ? cap : Infinity, raw })
    for (const [i, stroke] of strokes.entries()) {
      checkpoint(context, 0.3 + (0.4 * i) / strokes.length, 1, 'Working on the surface')
      work.draw(stroke)
    }
    const told = work.told()
    if (told.moved === 0) throw new GeometryError('EMPTY', nothingDone(told, strokes, cap, raw !== null))
    const out = work.result()
    const health = checkHealth(out, stage(context, 0.7, 1))
    return {
      outputs: { mesh: out },
      figures: {
        strokes: strokes.length,
        capMm: cap,
        forced: reason !== null,
        withTakes: raw !== null,
        ...told,
        ...healthFigures(health),
      },
      findings: [...healthFindings(health), ...capFindings(told, cap, capMm, reason, raw !== null)],
      details: { ...healthDetails(out, health), brushed: somePlaces(work.places()) },
    }
  },
  describe: ({ strokes, reason }, f) => {
    const ways = [...new Set(strokes.map((s) => BRUSHED[s.brush]))].join(', ')
    return (
      `By hand: ${ways}, ${strokes.length} ${strokes.length === 1 ? 'stroke' : 'strokes'}; moved by ` +
      `${mm(Number(f.mostMm), 3)} at most, ` +
      (reason === null ? `held to ${mm(Number(f.capMm))}` : `the cap left aside: ${reason}`)
    )
  },
})

function dabsOf({ dabs }: Stroke): [number, number, number, number][] {
  return Array.from({ length: dabs.length / 4 }, (_, i) => [
    dabs[i * 4],
    dabs[i * 4 + 1],
    dabs[i * 4 + 2],
    dabs[i * 4 + 3],
  ])
}

/** All that the strokes may reach. */
function boxOf(strokes: readonly Stroke[], capMm: number): Bounds {
  const min: [number, number, number] = [Infinity, Infinity, Infinity],
    max: [number, number, number] = [-Infinity, -Infinity, -Infinity]
  for (const s of strokes)
    for (const dab of dabsOf(s))
      for (let c = 0; c < 3; c++) {
        const reach = 2 * s.radiusMm + capMm
        min[c] = Math.min(min[c], dab[c] - reach)
        max[c] = Math.max(max[c], dab[c] + reach)
      }
  return { min, max }
}

function nothingDone({ heldBack }: Sculpted, strokes: readonly Stroke[], capMm: number, hasTakes: boolean): string {
  if (heldBack > 0) return `The cap of ${mm(capMm)} holds all that was brushed; nothing was changed.`
  if (strokes.every((s) => s.brush === 'pull'))
    return hasTakes
      ? 'There are no points of the takes near to pull the surface to; nothing was changed.'
      : 'There are no takes to pull the surface to; nothing was changed.'
  return 'The brush met no surface that had to move; nothing was changed.'
}

/** What the cap did, and what it was held against. */
function capFindings(
  told: Sculpted,
  capMm: number,
  askedMm: number,
  reason: string | null,
  hasTakes: boolean,
): Finding[] {
  const against = hasTakes ? 'the takes' : 'where it was, for no takes lie under it'
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
      text: `The cap of ${mm(capMm)} from ${against} held ${grouped(told.heldBack)} points back.`,
    })
  return findings
}
