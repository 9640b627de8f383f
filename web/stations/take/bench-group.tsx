'use client'
import { useEffect, useRef, useState } from 'react'
import { NO_DOTS, POSE_WORDS, TAKE_WORDS, type PlannedTake } from '@holosoma/core/plan'
import type { PieceState } from '@holosoma/engine'
import { FigureTable } from '@/components/finding'
import { Choice, Folded, Plain, Told } from '@/components/ui'
import { api } from '@/lib/api'
import { benchDevice, benchTakes, coatMmOf, lightsFor } from '@/lib/bench'
import { useBenchDesk } from '@/lib/bench-desk'
import { percent } from '@/lib/format'
import { attempt, attemptInTurn, submit, useBusy, useDesk } from '@/lib/store'
import { useLiveView, useRestart } from '@/lib/use-live-view'

/** Pixels of the live picture across: a coarse one is enough for the meters. */
const PIXELS = { stage: 288, card: 112 }
/** Longest from the server's answer until the desk shows it. */
const ANSWER_SHOWN_MS = 2000
/** Of what a take sees where it begins, this much must be known to go on from it (common practice: about a third). */
const KNOWN_TO_GO_ON = 0.3

/** Takes one planned take; a take of that name that is here already is replaced, and stays in the ledger. */
export async function makeTake(take: PlannedTake): Promise<void> {
  const { state } = useDesk.getState()
  const old = state.takes.find((t) => t.name === take.name)
  await submit({
    operation: 'take.simulate',
    params: { take, seed: 1, lights: lightsFor(state, take.exposures) },
    takeName: take.name,
    pose: POSE_WORDS[take.pose],
    ...(old && { takeId: old.id }),
  })
}

/** One shot from where the device stands now. */
function singleShot(state: PieceState, take: PlannedTake, view: number, views: number): PlannedTake {
  let n = 1
  while (state.takes.some((t) => t.name === `${take.name}, shot ${n}`)) n++
  return {
    ...take,
    name: `${take.name}, shot ${n}`,
    kind: take.kind === 'turntable' ? 'byHand' : take.kind,
    secondsPerTurn: null,
    steps: 1,
    strokes: 1,
    sections: 1,
    restartDeg: ((take.restartDeg ?? 0) + (view / views) * take.sweepDeg) % 360,
  }
}

/** Keeps the live view: what the device sees of the take that is made ready. */
export function BenchEngine() {
  const state = useDesk((d) => d.state)
  const onStage = useDesk((d) => d.view === 'bench' || !d.state.takes.some((t) => t.shape))
  const { chosen, view, exposure, set } = useBenchDesk()
  const takes = benchTakes(state)
  const take = takes[Math.min(chosen, takes.length - 1)]
  const device = benchDevice(state)
  const lights = take ? lightsFor(state, take.exposures) : [1]
  const live = useLiveView(
    take && state.piece.benchPiece
      ? {
          piece: state.piece.benchPiece,
          take,
          device,
          light: lights[Math.min(exposure, lights.length - 1)],
          fartherMm: state.session.fartherMm,
          coatMm: coatMmOf(state),
          dots: state.plan?.content.dots ?? NO_DOTS,
          clippingPercent: state.plan?.content.clippingPercent ?? 1,
          view,
          pixels: onStage ? PIXELS.stage : PIXELS.card,
        }
      : null,
  )
  const at = takes.indexOf(take)
  const before = takes.filter((t, i) => i !== at && state.takes.some((s) => s.name === t.name && s.shape))
  const turned =
    take !== undefined &&
    before.length > 0 &&
    !before.some((t) => t.pose === take.pose && t.aboutXDeg === take.aboutXDeg && t.aboutYDeg === take.aboutYDeg)
  const restart = useRestart(
    turned && state.plan && state.brief
      ? {
          standIn: state.plan.content.standIn,
          size: [state.brief.content.lengthMm, state.brief.content.widthMm, state.brief.content.heightMm],
          before,
          take,
          device,
        }
      : null,
  )
  useEffect(() => set({ live, restart }), [live, restart, set])
  return null
}

/** The bench before the shot: what is made ready, its meters, light and distance. */
export function BenchGroup() {
  const state = useDesk((d) => d.state)
  const setDesk = useDesk((d) => d.set)
  const busy = useBusy()
  const { chosen, view, exposure, live, restart, set } = useBenchDesk()
  const [open, setOpen] = useState(true)
  const takes = benchTakes(state)
  const device = benchDevice(state)
  const take = takes[Math.min(chosen, takes.length - 1)]
  if (!take) return null
  const lights = lightsFor(state, take.exposures)
  const log = (event: object): Promise<void> => attemptInTurn(() => api.benchEvent(state.piece.id, event))
  const old = state.takes.find((t) => t.name === take.name)
  return (
    <Folded title={`The bench: ${device.name}`} open={open} onOpen={setOpen} className="border-t border-rule py-1">
      <div className="mt-2 grid gap-2" data-testid="bench">
        <label className="flex items-center justify-between gap-2 text-[13px]">
          <span>Take</span>
          <Choice
            value={Math.min(chosen, takes.length - 1)}
            options={takes.map((t, i) => [i, `${i + 1} ${t.name}`] as const)}
            onChange={(v) => set({ chosen: v, view: 0, exposure: 0 })}
          />
        </label>
        <p className="text-[12.5px] text-graphite">
          {TAKE_WORDS[take.kind]}, {POSE_WORDS[take.pose]}, from {take.elevationDeg}°,{' '}
          {take.secondsPerTurn === null ? `${take.steps} shots` : `${take.secondsPerTurn} s a turn`}
          {take.exposures > 1 ? `, ${take.exposures} exposures` : ''}
          {take.floorMm === null ? '' : `, nothing below ${take.floorMm} mm`}
          {take.boxMm === null ? '' : `, within ${take.boxMm} mm`}
        </p>
        {/* Above what the live picture says, which comes and goes: no button may move under the pointer. */}
        <Stepper
          label="Light"
          value={state.session.stops}
          step={0.5}
          text={(v) => `${v > 0 ? '+' : ''}${v} stops`}
          less="Dim by half a stop"
          more="Brighten by half a stop"
          onStep={(stops) => log({ kind: 'light', stops })}
        />
        <Stepper
          label="Distance"
          value={state.session.fartherMm}
          step={5}
          text={(v) => `${take.distanceMm + v} mm`}
          less="5 mm nearer"
          more="5 mm farther"
          onStep={(fartherMm) => log({ kind: 'distance', fartherMm })}
        />
        {restart && (
          <Told verdict={restart.known >= KNOWN_TO_GO_ON ? 'sound' : 'doubtful'}>
            {restart.known >= KNOWN_TO_GO_ON
              ? `The piece is turned for this take: begin at ${restart.atDeg}°, where ` +
                `${percent(restart.known, 0)} of what is in view is known.`
              : 'The piece is turned for this take, and wherever it begins at most ' +
                `${percent(restart.known, 0)} of what is in view is known: leave it a take of its own.`}{' '}
            The old floor limit and dots on the table no longer hold.
          </Told>
        )}
        {lights.length > 1 && (
          <label className="flex items-center justify-between gap-2 text-[13px]">
            <span>Exposure</span>
            <Choice
              value={Math.min(exposure, lights.length - 1)}
              options={lights.map(
                (l, i) =>
                  [
                    i,
                    <>
                      {i + 1} of {lights.length},{' '}
                      {i === 0 ? 'the dimmest' : `${Math.log2(l / lights[0]).toFixed(1)} stops brighter`}
                    </>,
                  ] as const,
              )}
              onChange={(v) => set({ exposure: v })}
            />
          </label>
        )}
        {live && 'error' in live ? (
          <p role="alert" className="text-[13px] text-madder">
            {live.error}
          </p>
        ) : live ? (
          <>
            <div data-testid="meters">
              <Told verdict={live.meters.finding.verdict} className="font-caption text-[15px] leading-snug">
                {live.meters.finding.text}
              </Told>
            </div>
            <FigureTable
              figures={[
                ...(live.meters.finding.figures ?? []),
                ...(live.dots === null
                  ? []
                  : [{ label: 'Dots in view', value: live.dots, rule: `the device wants ${device.dotsInView}` }]),
              ]}
            />
          </>
        ) : (
          <p className="text-[13px] text-graphite">Looking…</p>
        )}
        <div className="grid grid-cols-2 gap-2">
          <Plain disabled={busy} className="py-2 font-medium" onClick={() => attempt(() => makeTake(take))}>
            {old ? `Take “${take.name}” again` : `Take “${take.name}”`}
          </Plain>
          <Plain
            disabled={busy || !live || 'error' in live}
            className="py-2"
            onClick={() =>
              attempt(() => makeTake(singleShot(state, take, view, live && 'views' in live ? live.views : 1)))
            }
          >
            A single shot
          </Plain>
        </div>
        <button
          type="button"
          className="min-h-8 justify-self-start text-[13px] font-medium text-woad hover:underline"
          onClick={() => setDesk({ view: 'bench' })}
        >
          Show the device’s pictures on the stage
        </button>
      </div>
    </Folded>
  )
}

/**
 * A figure with less and more. Quick clicks add up: each starts from the last one asked for, not from what the server
 * has answered so far.
 */
function Stepper({
  label,
  value,
  step,
  text,
  less,
  more,
  onStep,
}: {
  label: string
  value: number
  step: number
  text: (value: number) => string
  less: string
  more: string
  onStep: (value: number) => Promise<void>
}) {
  const [asked, setAsked] = useState<number | null>(null)
  const latest = useRef<number | null>(null)
  const forget = (wanted: number): void => {
    if (latest.current !== wanted) return
    latest.current = null
    setAsked(null)
  }
  useEffect(() => forget(value), [value])
  const go = async (by: number): Promise<void> => {
    const wanted = (latest.current ?? value) + by
    latest.current = wanted
    setAsked(wanted)
    await onStep(wanted)
    // Answered, the desk hears of it soon; refused, the old figure stands again.
    setTimeout(() => forget(wanted), ANSWER_SHOWN_MS)
  }
  return (
    <div role="group" aria-label={label} className="flex items-center justify-between gap-2 text-[13px]">
      <span>{label}</span>
      <span className="flex items-center gap-1.5">
        <Plain aria-label={less} title={less} onClick={() => go(-step)}>
          −
        </Plain>
        <span className="figure w-20 text-center">{text(asked ?? value)}</span>
        <Plain aria-label={more} title={more} onClick={() => go(step)}>
          +
        </Plain>
      </span>
    </div>
  )
}
