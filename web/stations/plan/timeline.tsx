'use client'
import type { SlotKind } from '@holosoma/core/plan/budget'
import { clock } from '@holosoma/core/plan/run-sheet'
import { usePlan, usePlanValue } from '@/lib/plan-desk'
import { pigment } from '@/lib/pigments'

const SLOT_COLOUR: Readonly<Record<Exclude<SlotKind, 'take'>, string>> = { setUp: '#5B6168', coat: '#7A6F5B', photos: '#2F4F8F', reference: '#7F7864', turn: '#8B836F', tidy: '#5B6168' }

/** The session from start to end, with the life of each coat under it. */
export function Timeline() {
  const plan = usePlanValue()
  const timeline = usePlan((p) => p.evaluation?.report.timeline)
  if (!plan || !timeline || timeline.minutes <= 0) return null
  const part = (minutes: number): string => `${((100 * minutes) / timeline.minutes).toFixed(2)}%`
  const step = timeline.minutes > 240 ? 60 : timeline.minutes > 90 ? 20 : 10
  return (
    <section aria-label="Session" data-testid="timeline" className="absolute right-14 bottom-3 left-[172px] rounded-lg border border-hair bg-card/95 px-3 pt-1.5 pb-1">
      <h3 className="flex justify-between text-[12.5px]"><b className="font-semibold">Session</b><span className="figure text-graphite">{plan.startAt} to {clock(plan.startAt, timeline.minutes)}, {Math.round(timeline.minutes)} min</span></h3>
      <div className="relative mt-1 h-8 rounded bg-[#f1ecdf]">
        {timeline.slots.map((s, i) => {
          const style = { left: part(s.fromMin), width: `calc(${part(s.minutes)} - 2px)`, background: s.kind === 'take' ? pigment(s.take! + 1).colour : SLOT_COLOUR[s.kind] }
          const className = 'absolute top-0 h-8 overflow-hidden rounded px-1.5 py-[7px] text-left text-[12px] leading-[18px] whitespace-nowrap text-white'
          // Seven pixels a letter at the narrowest page; what does not fit is told by its title.
          const fits = (s.minutes / timeline.minutes) * 600 > s.label.length * 7 + 12
          const title = `${s.label}: ${s.minutes.toFixed(0)} min`
          return <span key={i} title={title} style={style} className={className}>{fits ? s.label : ''}</span>
        })}
      </div>
      {timeline.coats.map((c, i) => <div key={i} className="relative mt-0.5 h-2" title={`coat lasts until ${clock(plan.startAt, c.toMin)}`}><i className="absolute h-1.5 rounded bg-[repeating-linear-gradient(90deg,#8f8a7a_0_4px,#d9d2c3_4px_7px)]" style={{ left: part(c.fromMin), width: part(Math.min(c.toMin, timeline.minutes) - c.fromMin) }} /></div>)}
      <div className="figure relative h-4 text-[12px] text-graphite">
        {Array.from({ length: Math.floor(timeline.minutes / step) + 1 }, (_, i) => <span key={i} className="absolute -translate-x-1/2 first:translate-x-0" style={{ left: part(i * step) }}>{i * step}</span>)}
      </div>
    </section>
  )
}
