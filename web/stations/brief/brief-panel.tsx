'use client'
import { EMPTY_BRIEF, checkAgainstBrief, deliverablesOf, requirementsOf, trapsOf } from '@holosoma/core/brief'
import { ConflictNote } from '@/components/conflict-note'
import { Group, Plain, Primary, VerdictMark, VerdictWord } from '@/components/ui'
import { mm } from '@/lib/format'
import { STATION_NAMES } from '@/lib/station-names'
import { factsOf } from '@/lib/facts'
import { useDesk } from '@/lib/store'

/** What the piece asks of the session: spacing, traps, what will be handed over; live beside the form. */
export function BriefPanel() {
  const state = useDesk((d) => d.state)
  const draft = useDesk((d) => d.drafts.brief)
  const set = useDesk((d) => d.set)
  const brief = draft ?? state.brief?.content ?? EMPTY_BRIEF
  const sane = [brief.lengthMm, brief.widthMm, brief.heightMm, brief.detailMm, brief.toleranceMm ?? 1].every(
    (v) => Number.isFinite(v) && v > 0,
  )
  const traps = sane ? trapsOf(brief) : []
  const { wantedSpacingMm, limitSpacingMm, toleranceMm } = requirementsOf(brief)
  // What nobody has written says nothing of the piece.
  const written = draft !== undefined || state.brief !== null
  const blocking = traps.filter((t) => t.blocking)
  const checks = sane ? checkAgainstBrief(brief, factsOf(state)) : []
  return (
    <>
      <h2 className="mb-2 font-caption text-[21px] leading-tight font-semibold">What does this piece ask for?</h2>
      <ConflictNote kind="brief" />
      {!written && (
        <p className="font-caption text-[16px] leading-[1.42]">
          Nothing is written of this piece yet. The size and detail beside are only somewhere to begin.
        </p>
      )}
      {written && !sane && (
        <p className="font-caption text-[16px] leading-[1.42]">
          Size and detail must be numbers larger than 0 before anything follows from them.
        </p>
      )}
      {written && sane && (
        <section aria-label="Finding" data-testid="finding">
          <VerdictWord verdict={blocking.length > 0 ? 'doubtful' : 'sound'} />
          <p className="mt-1.5 font-caption text-[16px] leading-[1.42]">
            Points <b className="figure font-semibold">{mm(wantedSpacingMm)}</b> apart,{' '}
            <b className="figure font-semibold">{mm(limitSpacingMm)}</b> at most, hold detail of {brief.detailMm} mm
            {traps.length === 0
              ? '; no trap in sight.'
              : traps.length === 1
                ? '. One trap of the trade lies here.'
                : `. ${traps.length} traps of the trade lie here.`}
          </p>
        </section>
      )}
      <div className="my-3">
        <Primary onClick={() => set({ station: 'plan' })}>Go on to Plan</Primary>
      </div>
      <ul aria-label="Traps" className="grid gap-2">
        {traps.map((t) => (
          <li
            key={t.id}
            data-testid="trap"
            className={`rounded-lg border px-3 py-2 text-[13.5px] ${t.blocking ? 'border-ochre/60' : 'border-hair'}`}
          >
            <b className="font-semibold">{t.name}.</b> {t.why}
            <span className="mt-0.5 block text-graphite">
              <b className="font-medium text-ink">Costs:</b> {t.cost}
            </span>
            <span className="block text-graphite">
              <b className="font-medium text-ink">Helps:</b> {t.cure}
            </span>
          </li>
        ))}
      </ul>
      <div className="mt-3">
        <Group title="What will be handed over" open>
          <ul className="grid gap-1 text-[13.5px]">
            {deliverablesOf(brief).map((d) => (
              <li key={d.file}>
                <b className="font-medium">{d.file}</b> <span className="text-graphite">{d.why}</span>
              </li>
            ))}
          </ul>
          {sane && (
            <p className="text-[13px] text-graphite">
              Tolerance {mm(toleranceMm)}
              {brief.toleranceMm === null && ', half the smallest detail'}.
            </p>
          )}
        </Group>
        <Group title="What later stations will be held to">
          <ul className="grid gap-1.5 text-[13.5px]">
            {checks.map((c) => (
              <li key={c.id} className="grid grid-cols-[18px_1fr] gap-1.5">
                <span className="pt-0.5">
                  <VerdictMark verdict={c.verdict} />
                </span>
                <span>
                  {c.text}{' '}
                  <span className="text-graphite">
                    {STATION_NAMES[c.station]}: {c.verdict ? `${c.verdict}, ${c.found}` : c.found}
                  </span>
                </span>
              </li>
            ))}
          </ul>
        </Group>
      </div>
      <Plain className="mt-2 w-full py-2" onClick={() => set({ station: 'take' })}>
        Skip the plan: go to Take
      </Plain>
    </>
  )
}
