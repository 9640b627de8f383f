'use client'
import type { Verdict } from '@holosoma/core/findings'
import { STATION_NAMES, type Station } from '@/lib/station-names'
import { useDesk } from '@/lib/store'
import { VerdictMark } from './ui'

/** The stations in order of work: navigation and dashboard in one. */
export function RouteBar({
  stops,
  onGo,
}: {
  stops: readonly { readonly station: Station; readonly verdict: Verdict | null; readonly figure: string }[]
  onGo: (station: Station) => void
}) {
  const here = useDesk((d) => d.station)
  return (
    <nav aria-label="Route" className="relative flex h-[58px] items-end border-b border-hair px-4">
      <div className="absolute top-[22px] right-6 left-6 h-px bg-hair" aria-hidden="true" />
      {stops.map((s) => {
        const open = s.station === here
        return (
          <button
            key={s.station}
            type="button"
            aria-current={open ? 'step' : undefined}
            onClick={() => onGo(s.station)}
            aria-label={`${STATION_NAMES[s.station]}${s.verdict ? `, ${s.verdict}` : ', not reached'}${s.figure ? `, ${s.figure}` : ''}`}
            className={`relative flex min-w-0 flex-1 flex-col items-start pr-0.5 pb-1.5 pl-3 text-left ${open ? 'h-[52px] rounded-t-lg bg-card shadow-[0_0_0_1px_var(--color-hair)]' : 'h-[47px]'} ${open ? 'pt-2' : 'pt-1'}`}
          >
            <span className={`relative flex items-center gap-2 pr-2 ${open ? 'bg-card' : 'bg-paper'}`}>
              <VerdictMark verdict={s.verdict} size={14} />
              <b
                className={`text-[13.5px] ${open ? 'font-semibold' : s.verdict ? 'font-semibold' : 'font-medium text-graphite'}`}
              >
                {STATION_NAMES[s.station]}
              </b>
            </span>
            <em className="figure max-w-full truncate pl-[10px] text-[12px] text-graphite not-italic">
              {s.figure || '\u00a0'}
            </em>
          </button>
        )
      })}
    </nav>
  )
}
