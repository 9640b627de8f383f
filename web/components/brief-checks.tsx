'use client'
import { checkAgainstBrief } from '@holosoma/core/brief'
import type { Station } from '@/lib/station-names'
import { factsOf } from '@/lib/facts'
import { useDesk } from '@/lib/store'
import { VerdictMark } from './ui'

/** What the brief asks of a station, and whether it is so. */
export function BriefChecks({ station }: { station: Station }) {
  const state = useDesk((d) => d.state)
  const brief = state.brief?.content
  const checks = brief
    ? checkAgainstBrief(brief, factsOf(state)).filter((c) => station === 'release' || c.station === station)
    : []
  if (checks.length === 0) return null
  return (
    <section aria-label="Asked by the brief" data-testid="brief-checks" className="mt-4 border-t border-hair pt-2">
      <h3 className="mb-1 text-[13.5px] font-medium">Asked by the brief</h3>
      <ul className="grid gap-1 text-[13px]">
        {checks.map((c) => (
          <li key={c.id} className="grid grid-cols-[18px_1fr] gap-1.5">
            <span className="pt-0.5">
              <VerdictMark verdict={c.verdict} />
            </span>
            <span>
              {c.text}
              <span className="block text-graphite">{c.verdict ? `${c.verdict}: ${c.found}` : c.found}</span>
            </span>
          </li>
        ))}
      </ul>
    </section>
  )
}
