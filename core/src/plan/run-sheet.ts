import type { Brief } from '../brief/brief'
import { PERMISSION_WORDS } from '../brief/words'
import { capital } from '../findings'
import { takeFrames, takeMinutes } from './budget'
import { cautionsOf, COAT_CAUTION, DEFER, TURN_CAUTION, type Caution } from './cautions'
import type { Plan } from './plan'
import type { PlanDetails, PlanReport } from './planner'
import { POSE_WORDS, TAKE_WORDS } from './takes'

/* The session as numbered steps to tick off at the bench; page and PDF are made from this. */

export interface RunStep {
  readonly number: number
  readonly title: string
  /** Clock time at which it begins, by the plan's start. */
  readonly at: string
  readonly lines: readonly string[]
  readonly checks: readonly string[]
  readonly caution: Caution | null
  /** Index of the take it belongs to: its pose is drawn beside it. */
  readonly take: number | null
}

export interface RunSheet {
  readonly steps: readonly RunStep[]
  readonly cautions: readonly Caution[]
  readonly defer: string
  readonly permissions: readonly { readonly name: string; readonly text: string }[]
  readonly minutes: number
  readonly ends: string
}

/** The session step by step, as it is printed and taken to the bench. */
export function runSheetOf(plan: Plan, brief: Brief, report: PlanReport, details: PlanDetails): RunSheet {
  const steps: RunStep[] = []
  const cautions = cautionsOf(brief, plan)
  const light = cautions.find((c) => c.id === 'laser') ?? cautions.find((c) => c.id === 'flicker') ?? null
  const add = (
    at: number,
    title: string,
    lines: string[],
    checks: string[],
    caution: Caution | null = null,
    take: number | null = null,
  ): void =>
    void steps.push({ number: steps.length + 1, title, at: clock(plan.startAt, at), lines, checks, caution, take })
  add(
    0,
    'Before the piece comes to the bench',
    [
      `Device: ${plan.device.name}. Warm up and calibrate, ${plan.device.setUpMinutes} min; clean lenses first.`,
      ...(brief.temperatureC !== null ? [`Bench at ${brief.temperatureC} °C.`] : []),
      ...(details.dots
        ? [
            'Print ' +
              ((plan.dots.where === 'mat'
                ? 'the mat'
                : plan.dots.where === 'stands'
                  ? `${details.dots.stands.length} stands`
                  : 'nothing: the dots go on the piece') +
                ' ') +
              'at 100 % and measure the 100 mm bar.',
          ]
        : []),
    ],
    ['calibrated', ...(details.dots && plan.dots.where !== 'piece' ? ['bar measured'] : []), 'permissions at hand'],
    light,
  )
  if (brief.callipers.length > 0)
    add(
      plan.device.setUpMinutes,
      'Callipers',
      ['Write the readings down while the piece is on the bench; they can’t be taken later.'],
      ['all readings written'],
    )
  for (const slot of report.timeline.slots) {
    if (slot.kind === 'photos')
      add(
        slot.fromMin,
        `Photos for colour: ${report.photos?.perTurn ?? 0} in a turn`,
        [
          `From ${Math.round(report.photos?.distanceMm ?? 0)} mm; same exposure and white balance ` +
            'throughout; keep the camera awake.',
        ],
        [`${report.photos?.perTurn ?? 0} photos counted`],
      )
    if (slot.kind === 'reference')
      add(
        slot.fromMin,
        'Empty bench',
        ['Run the table once without the piece. Again only when device or table was moved.'],
        ['done'],
      )
    if (slot.kind === 'coat')
      add(
        slot.fromMin,
        slot.label === 'coat' ? 'Coat' : 'Coat again',
        [report.coat.text],
        ['hidden spot tested', 'photos taken before', 'product written down'],
        COAT_CAUTION,
      )
    if (slot.kind === 'turn')
      add(
        slot.fromMin,
        'Turn the piece',
        ['Drop floor limit and table dots of the old pose.'],
        ['turned', 'old limits dropped'],
        TURN_CAUTION,
      )
    if (slot.kind === 'take') takeStep(slot.take!, slot.fromMin)
    if (slot.kind === 'tidy')
      add(
        slot.fromMin,
        'Before the piece leaves',
        ['Look at the finding: is anything missing?'],
        [
          'nothing missing',
          'takes saved',
          ...(plan.dots.where === 'piece' ? ['dots off, counted'] : []),
          ...(brief.callipers.length > 0 ? ['callipers complete'] : []),
        ],
      )
  }
  function takeStep(i: number, at: number): void {
    const take = plan.takes[i]
    const restart = details.restart[i]
    const series = report.exposures.steps
    add(
      at,
      `Take “${take.name}”`,
      [
        `${capital(POSE_WORDS[take.pose])}, ` +
          (`${TAKE_WORDS[take.kind]}` +
            (take.support === 'plate'
              ? ''
              : take.support === 'putty'
                ? ', in putty'
                : ` on a riser of ${take.riserMm} mm`) +
            '.'),
        `Elevation ${Math.round(take.elevationDeg)}°, ${Math.round(take.distanceMm)} mm to the ` +
          `middle of the piece (${plan.device.nearMm} to ${plan.device.farMm} mm).`,
        take.kind === 'handheld'
          ? `${take.strokes} strokes along the long direction, ${take.sections} ` +
            `${take.sections === 1 ? 'section' : 'sections'}.`
          : take.secondsPerTurn === null
            ? `${take.steps} shots over ${take.sweepDeg}°.`
            : `${take.secondsPerTurn} s a turn, ${take.sweepDeg}°: about ${takeFrames(take, plan.device)} frames.`,
        take.exposures > 1 && series.length > 1
          ? `${take.exposures} exposures: ${series
              .slice(0, take.exposures)
              .map((s) => (s.gain === 1 ? 'for the palest' : `${s.stops.toFixed(1)} stops brighter`))
              .join(', ')}. Nothing moves between them.`
          : `Exposure: at most ${plan.clippingPercent} % of the piece clipped.`,
        ...(i > 0 && restart && restart.known > 0 && take.pose !== plan.takes[i - 1].pose
          ? [
              `Begin at ${restart.atDeg}°: there ${Math.round(restart.known * 100)} % of what is in view ` +
                'is known already.',
            ]
          : []),
        ...(take.floorMm !== null ? [`Floor limit ${take.floorMm} mm over the table.`] : []),
        ...(take.boxMm !== null ? [`Nothing outside a box of ${take.boxMm} mm round the axis.`] : []),
        `About ${Math.max(1, Math.round(takeMinutes(take, plan.device)))} min; sees ` +
          `${(report.seen.perTake[i] * 100).toFixed(0)} % of the piece.`,
      ],
      ['distance set', 'exposure checked', 'name given', 'saved'],
      light,
      i,
    )
  }
  return {
    steps,
    cautions,
    defer: DEFER,
    minutes: report.timeline.minutes,
    ends: clock(plan.startAt, report.timeline.minutes),
    permissions: (
      Object.entries(brief.permissions) as [keyof typeof brief.permissions, (typeof brief.permissions)['touch']][]
    ).map(([name, p]) => ({
      name: PERMISSION_WORDS[name],
      text:
        p.allowed === null
          ? 'not asked'
          : `${p.allowed ? 'yes' : 'no'}${p.by ? `, ${p.by}` : ''}${p.on ? `, ${p.on}` : ''}`,
    })),
  }
}

/** Clock time `minutes` after a start of HH:MM. */
export function clock(start: string, minutes: number): string {
  const [h, m] = start.split(':').map(Number) as [number, number]
  const t = (h * 60 + m + Math.round(minutes)) % 1440
  return `${String(Math.floor(t / 60)).padStart(2, '0')}:${String(t % 60).padStart(2, '0')}`
}
