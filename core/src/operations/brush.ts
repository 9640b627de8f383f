import Joi from 'joi'
import { checkpoint, stage } from '../context'
import { GeometryError } from '../errors'
import { grouped, mm } from '../findings'
import { movedDirection, movedPlace } from '../linear/similarity'
import { checkHealth } from '../mesh/health'
import { Sculpture } from '../sculpt/sculpture'
import { BRUSHES, type Brush, type Sculpted, type Stroke } from '../sculpt/stroke'
import type { Bounds } from '../shapes'
import { capFindings, HELD, heldTo, rawSurfaceOf, type Held } from './hand-work'
import { optional, WORKS_ON } from './inputs'
import { healthDetails, healthFigures, healthFindings, type HealthDetails } from './mend'
import { defineOperation } from './operation'
import { fitsWhereItWas, somePlaces } from './places-of-acts'

interface Params extends Held {
  strokes: Stroke[]
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
    ...HELD,
  }),
  onPiece: { track: 'mesh', doing: () => 'Working on the surface by hand' },
  again: {
    moved: (params, map) => ({
      ...params,
      ...heldTo(params, map.scale),
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
  run({ mesh, takes, motions }, { strokes, capMm, toleranceMm, reason, names, up, scale }, context) {
    if (strokes.reduce((n, s) => n + s.dabs.length, 0) > MOST_DABS * 4 || strokes.some((s) => s.dabs.length % 4 !== 0))
      throw new GeometryError('PARAMS', `Keep what is brushed sooner: an act holds ${grouped(MOST_DABS)} dabs at most.`)
    const cap = Math.min(capMm, toleranceMm ?? Infinity)
    const raw = rawSurfaceOf({ takes, motions }, { names, up, scale }, boxOf(strokes, cap), stage(context, 0, 0.3))
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
