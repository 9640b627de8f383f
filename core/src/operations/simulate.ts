import Joi from 'joi'
import { findDoubleLayers } from '../cloud/double-layers'
import { stage } from '../context'
import { GeometryError } from '../errors'
import { grouped, percent, type Finding } from '../findings'
import { captureTake, LAMP_TAKES, ROAD_SPACING_MM, TABLETOP_DEVICE } from '../bench/capture'
import { readMeters, sumReadings, takeFindings } from '../bench/meters'
import { DEMO_PIECES } from '../bench/pieces'
import { ALL_FAULTS, NO_FAULTS } from '../bench/settings'
import { layDots } from '../bench/lay-dots'
import { dotSchema, NO_DOTS, type DotSettings } from '../plan/dots'
import { deviceSchema, type DeviceProfile } from '../plan/device-profile'
import { takeSchema, type PlannedTake } from '../plan/takes'
import { ghostFinding } from './match-frames'
import { defineOperation, type ResultOf } from './operation'

interface Params {
  piece: string
  /** A take as a plan holds it, or the name of one of the demo's. */
  take: PlannedTake | string
  device: DeviceProfile
  seed: number
  spacingMm: number | null
  /** One value for each exposure. */
  lights: number[]
  temperatureC: number
  calibratedAtC: number
  coatMm: number
  dots: DotSettings
  reference: boolean
  fartherMm: number
  faults: boolean
  clippingPercent: number
  /** Nothing on the table yet: the take of the empty bench. */
  emptyBench: boolean
}

/** Table angle, points on the piece, shares clipped and too dark, dots in view, whether the device knew its place. */
export type FrameRow = readonly [
  deg: number,
  taken: number,
  clipped: number,
  starved: number,
  dots: number,
  tracked: number,
]

declare module './details' {
  interface OperationDetails {
    'take.simulate': { readonly frames: readonly FrameRow[] }
  }
}

/** One take at the simulated bench, faults included. The truth never leaves through here. */
export const simulateTake = defineOperation({
  name: 'take.simulate',
  version: 4,
  inputs: {},
  params: Joi.object<Params>({
    piece: Joi.string().required(),
    take: Joi.alternatives(Joi.string(), takeSchema).required(),
    device: deviceSchema.default(TABLETOP_DEVICE),
    seed: Joi.number().integer().min(0).default(1),
    spacingMm: Joi.number().positive().max(100).allow(null).default(ROAD_SPACING_MM),
    lights: Joi.array().items(Joi.number().positive().max(1000)).min(1).max(8).default([1]),
    temperatureC: Joi.number().min(-30).max(60).default(20),
    calibratedAtC: Joi.number().min(-30).max(60).default(20),
    coatMm: Joi.number().min(0).max(1).default(0),
    dots: dotSchema.default(NO_DOTS),
    reference: Joi.boolean().default(false),
    fartherMm: Joi.number().min(-1000).max(1000).default(0),
    faults: Joi.boolean().default(false),
    clippingPercent: Joi.number().min(0).max(20).default(1),
    emptyBench: Joi.boolean().default(false),
  }),
  onPiece: { track: 'take', doing: ([name]) => `Taking “${name}”` },
  estimate: (_inputs, { lights, take }) => ({
    work: 20 * lights.length * (typeof take === 'string' ? 1 : Math.max(1, take.steps / 12)),
    bytes: 200e6,
  }),
  run(_inputs, params, context): ResultOf<'take.simulate'> {
    const piece = DEMO_PIECES[params.piece]
    if (!piece)
      throw new GeometryError(
        'PARAMS',
        `The bench knows the pieces ${Object.keys(DEMO_PIECES).join(', ')}; not “${params.piece}”.`,
      )
    const plan = typeof params.take === 'string' ? LAMP_TAKES.find((t) => t.name === params.take) : params.take
    if (!plan)
      throw new GeometryError(
        'PARAMS',
        `Without a plan the bench knows the takes ${LAMP_TAKES.map((t) => t.name).join(', ')}; not ` +
          `“${String(params.take)}”.`,
      )
    const { device } = params
    const faults = params.faults ? ALL_FAULTS : { ...NO_FAULTS, noise: true }
    const taken = captureTake(
      piece,
      plan,
      device,
      params.seed,
      stage(context, 0, 0.94),
      {
        faults,
        spacingMm: params.spacingMm,
        light: params.lights[0],
        temperatureC: params.temperatureC,
        calibratedAtC: params.calibratedAtC,
        coatMm: params.coatMm,
        dots: layDots(piece, plan, params.dots),
        reference: params.reference && !params.emptyBench,
        pieceAway: params.emptyBench,
        fartherMm: params.fartherMm,
      },
      params.lights,
    )
    const points = taken.cloud.positions.length / 3
    if (params.emptyBench) {
      return {
        outputs: { take: taken.cloud },
        figures: {
          points,
          frames: taken.frames.length,
          device: device.name,
          spacingMm: taken.spacingMm,
          emptyBench: true,
        },
        findings: [
          {
            id: 'take.bench',
            verdict: 'sound',
            text:
              `The empty bench: ${grouped(points)} points from ${taken.frames.length} frames. It holds ` +
              'until device or table are moved.',
          },
        ],
        details: { frames: [] },
      }
    }
    const meters = readMeters(sumReadings(taken.frames), device, piece, params.clippingPercent)
    const layers = findDoubleLayers(taken.cloud, stage(context, 0.94, 1))
    const ghost = ghostFinding(layers, 'Match its frames')
    const lost = taken.frames.filter((f) => !f.tracked).length
    const findings: Finding[] = [
      {
        id: 'take.done',
        verdict: 'sound',
        text:
          `“${plan.name}”: ${grouped(points)} points from ${taken.frames.length - lost} frames, ` +
          `${params.reference ? 'table taken away' : 'table included'}.`,
      },
      ...(params.faults
        ? [
            {
              ...meters.finding,
              ...(meters.finding.verdict !== 'sound' && {
                nextMove:
                  meters.stops === null ? 'Take it in two exposures' : 'Set light and distance, and take it again',
              }),
            },
          ]
        : []),
      ...takeFindings(taken.frames, taken.slipped, taken.wantedFrames),
      ...(ghost.verdict === 'sound' ? [] : [ghost]),
    ]
    return {
      outputs: { take: taken.cloud },
      figures: {
        points,
        frames: taken.frames.length,
        lost,
        slipped: taken.slipped,
        double: layers.patches > 0 ? layers.double / layers.patches : 0,
        elevationDeg: plan.elevationDeg,
        device: device.name,
        spacingMm: taken.spacingMm,
        exposures: params.lights.length,
        clipped: meters.clipped,
        starved: meters.starved,
        nearestMm: meters.nearestMm,
        farthestMm: meters.farthestMm,
      },
      details: {
        frames: taken.frames.map((f): FrameRow => [
          Math.round(f.tableDeg * 10) / 10,
          f.taken,
          round(f.clipped, f.onPiece),
          round(f.starved, f.onPiece),
          f.dots,
          f.tracked ? 1 : 0,
        ]),
      },
      findings,
    }
  },
  describe: (params, figures) =>
    params.emptyBench
      ? `Took the empty bench: ${grouped(Number(figures.points))} points`
      : `Took “${typeof params.take === 'string' ? params.take : params.take.name}” at the simulated ` +
        `bench: ${grouped(Number(figures.points))} points, ${percent(Number(figures.clipped))} ` +
        'clipped',
})

const round = (part: number, whole: number): number => Math.round((1000 * part) / Math.max(1, whole)) / 1000
