'use client'
import { useState } from 'react'
import { NO_DOTS } from '@holosoma/core/plan/dots'
import { POSE_WORDS, TAKE_WORDS, type PlannedTake } from '@holosoma/core/plan/takes'
import { FigureTable } from '@/components/finding'
import { Plain, VerdictMark } from '@/components/ui'
import { api } from '@/lib/api'
import { benchDevice, benchTakes, coatMmOf, lightsFor } from '@/lib/bench'
import { attempt, submit, useBusy, useDesk } from '@/lib/store'
import { useLiveView } from '@/lib/use-live-view'
import { DepthStrip, DevicePicture } from './pictures'

const PIXELS = 168

/** Takes one planned take; a take of that name that is here already is replaced, and stays in the ledger. */
export async function makeTake(take: PlannedTake): Promise<void> {
  const { state } = useDesk.getState()
  const old = state.takes.find((t) => t.name === take.name)
  await submit({ operation: 'take.simulate', params: { take, seed: 1, lights: lightsFor(state, take.exposures) }, takeName: take.name, pose: POSE_WORDS[take.pose], ...(old && { takeId: old.id }) })
}

/** The bench before the shot: what the device sees, its meters, light and distance. */
export function BenchGroup() {
  const state = useDesk((d) => d.state)
  const busy = useBusy()
  const takes = benchTakes(state)
  const device = benchDevice(state)
  const [chosen, setChosen] = useState(0)
  const [view, setView] = useState(0)
  const take = takes[Math.min(chosen, takes.length - 1)]
  const { stops, fartherMm } = state.session
  const [exposure, setExposure] = useState(0)
  const lights = take ? lightsFor(state, take.exposures) : [1]
  const light = lights[Math.min(exposure, lights.length - 1)]!
  const [open, setOpen] = useState(true)
  const live = useLiveView(open && take && state.piece.benchPiece ? {
    piece: state.piece.benchPiece, take, device, light, fartherMm, coatMm: coatMmOf(state), dots: state.plan?.content.dots ?? NO_DOTS, clippingPercent: state.plan?.content.clippingPercent ?? 1, view, pixels: PIXELS,
  } : null)
  if (!take) return null
  const log = (event: object): Promise<void> => attempt(() => api.benchEvent(state.piece.id, event))
  const old = state.takes.find((t) => t.name === take.name)
  return (
    <details open={open} onToggle={(e) => setOpen(e.currentTarget.open)} className="border-t border-[#e9e3d5] py-2">
      <summary className="cursor-pointer text-[13.5px] font-medium">The bench: {device.name}</summary>
      <div className="mt-2 grid gap-2" data-testid="bench">
        <label className="flex items-center justify-between gap-2 text-[13px]"><span>Take</span>
          <select value={chosen} onChange={(e) => setChosen(Number(e.target.value))} className="h-8 min-w-0 rounded-md border border-hair bg-white px-2">
            {takes.map((t, i) => <option key={t.name} value={i}>{i + 1} {t.name}</option>)}
          </select>
        </label>
        <p className="text-[12.5px] text-graphite">{TAKE_WORDS[take.kind]}, {POSE_WORDS[take.pose]}, from {take.elevationDeg}°, {take.secondsPerTurn === null ? `${take.steps} shots` : `${take.secondsPerTurn} s a turn`}{take.exposures > 1 ? `, ${take.exposures} exposures` : ''}</p>
        {lights.length > 1 && (
          <label className="flex items-center justify-between gap-2 text-[13px]"><span>Exposure</span>
            <select value={Math.min(exposure, lights.length - 1)} onChange={(e) => setExposure(Number(e.target.value))} className="h-8 rounded-md border border-hair bg-white px-2">
              {lights.map((l, i) => <option key={i} value={i}>{i + 1} of {lights.length}, {i === 0 ? 'the dimmest' : `${Math.log2(l / lights[0]!).toFixed(1)} stops brighter`}</option>)}
            </select>
          </label>
        )}
        {live && 'error' in live ? <p role="alert" className="text-[13px] text-madder">{live.error}</p> : live ? (
          <>
            <div className="grid grid-cols-2 gap-2"><DevicePicture picture={live.picture} which="plain" label="Camera" /><DevicePicture picture={live.picture} which="pattern" label="With the pattern" /></div>
            <DepthStrip {...device} {...live.meters} />
            <p className="flex items-start gap-1.5 font-caption text-[15px] leading-snug" data-testid="meters"><span className="mt-1"><VerdictMark verdict={live.meters.finding.verdict} /></span>{live.meters.finding.text}</p>
            <FigureTable figures={[...(live.meters.finding.figures ?? []), ...(live.dots === null ? [] : [{ label: 'Dots in view', value: live.dots, rule: `the device wants ${device.dotsInView}` }])]} />
            <label className="flex items-center gap-2 text-[13px]"><span className="w-20">View</span><input type="range" min={0} max={live.views - 1} value={Math.min(view, live.views - 1)} onChange={(e) => setView(Number(e.target.value))} className="min-w-0 flex-1 accent-[var(--color-verdigris)]" aria-valuetext={`view ${view + 1} of ${live.views}`} /><span className="figure w-14 text-right">{Math.min(view, live.views - 1) + 1}/{live.views}</span></label>
          </>
        ) : <p className="text-[13px] text-graphite">Looking…</p>}
        <Stepper label="Light" text={`${stops > 0 ? '+' : ''}${stops} stops`} less="Dim by half a stop" more="Brighten by half a stop" onLess={() => log({ kind: 'light', stops: stops - 0.5 })} onMore={() => log({ kind: 'light', stops: stops + 0.5 })} />
        <Stepper label="Distance" text={`${take.distanceMm + fartherMm} mm`} less="5 mm nearer" more="5 mm farther" onLess={() => log({ kind: 'distance', fartherMm: fartherMm - 5 })} onMore={() => log({ kind: 'distance', fartherMm: fartherMm + 5 })} />
        <Plain disabled={busy} className="py-2 font-medium" onClick={() => attempt(() => makeTake(take))}>{old ? `Take “${take.name}” again` : `Take “${take.name}”`}</Plain>
      </div>
    </details>
  )
}

function Stepper({ label, text, less, more, onLess, onMore }: { label: string; text: string; less: string; more: string; onLess: () => void; onMore: () => void }) {
  return (
    <div className="flex items-center justify-between gap-2 text-[13px]">
      <span>{label}</span>
      <span className="flex items-center gap-1.5"><Plain aria-label={less} title={less} onClick={onLess}>−</Plain><span className="figure w-20 text-center">{text}</span><Plain aria-label={more} title={more} onClick={onMore}>+</Plain></span>
    </div>
  )
}

