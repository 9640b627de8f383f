'use client'
import { Plain, Primary, Told } from '@/components/ui'
import { BY_HAND, cutChosen, leaveChosen } from '@/lib/choosing'
import { BELOW_PLANE, cutBelow } from '@/lib/cut-plane'
import { areaText, grouped, percent } from '@/lib/format'
import type { PreviewCut } from '@/stations/tidy/desk'
import { attempt, dropPreviews, submit, useBusy, useDesk } from '@/lib/store'
import { previewAct } from '@/lib/preview-act'

const CUTS = new Set([BY_HAND, BELOW_PLANE, 'tidy.trimTable'])

/** What would go, in figures, before it goes: on one take or on several. */
export function PreviewCard({ previews }: { previews: readonly PreviewCut[] }) {
  const state = useDesk((d) => d.state)
  const busy = useBusy()
  const first = previews[0]
  const count = previews.reduce((n, p) => n + p.count, 0)
  const takeOf = (p: PreviewCut) => state.takes.find((t) => t.id === p.takeId)!
  const all = previews.reduce((n, p) => n + takeOf(p).shape!.points, 0)
  const everything = previews.filter((p) => p.count >= takeOf(p).shape!.points)
  const apply = (): Promise<void> =>
    attempt(async () => {
      if (first.operation === BY_HAND) return cutChosen(previews)
      if (first.operation === BELOW_PLANE) return cutBelow(previews)
      await submit(
        ...previews
          .filter((p) => p.count > 0)
          .map((p) => ({ operation: p.operation, params: p.params, takeId: p.takeId })),
      )
      dropPreviews(previews)
    })
  const warnings = previews.flatMap((p) =>
    p.warning
      ? [
          previews.length > 1
            ? `“${takeOf(p).name}”: ${p.warning.charAt(0).toLowerCase()}${p.warning.slice(1)}`
            : p.warning,
        ]
      : [],
  )
  return (
    <section
      aria-label="Preview"
      data-testid="preview"
      className="sticky -top-4 z-10 -mx-5 border-b border-hair bg-card px-5 pt-3 pb-3"
    >
      {[...new Set(previews.map((p) => p.text))].map((text) => (
        <p key={text} className="font-caption text-[16px] leading-[1.42]">
          {text}
        </p>
      ))}
      <p className="figure mt-1 text-[13px] text-graphite">
        {grouped(count)} of {grouped(all)} points ({percent(count / all)}), about{' '}
        {areaText(previews.reduce((s, p) => s + p.areaMm2, 0))}, would go, hatched in blue
      </p>
      {previews.length > 1 && (
        <ul className="figure mt-1 text-[13px] text-graphite" aria-label="By take">
          {previews.map((p) => (
            <li key={p.takeId} className="flex justify-between gap-2">
              <span className="truncate font-sans">
                {takeOf(p).ordinal} {takeOf(p).name}
              </span>
              <span>
                {grouped(p.count)} ({percent(p.count / takeOf(p).shape!.points)})
              </span>
            </li>
          ))}
        </ul>
      )}
      {warnings.map((w) => (
        <div key={w} className="mt-2" data-testid="warning">
          <Told verdict="doubtful" className="text-[14px]">
            {w}
          </Told>
        </div>
      ))}
      {everything.length > 0 && (
        <div className="mt-2">
          <Told verdict="unsound">
            {everything.length === 1
              ? `Nothing of “${takeOf(everything[0]).name}” would be left`
              : `Nothing of ${everything.length} takes would be left`}
            ; to be rid of a whole take, undo the step that brought it.
          </Told>
        </div>
      )}
      <div className="mt-3 grid gap-2">
        <Primary disabled={busy || count === 0 || everything.length > 0} onClick={apply}>
          {CUTS.has(first.operation) ? 'Cut' : 'Remove'} {grouped(count)} points
        </Primary>
        {first.operation === 'tidy.trimTable' && count === 0 && (
          <Plain
            onClick={() =>
              attempt(() => previewAct({ operation: 'tidy.trimTable', params: { ...first.params, force: true } }))
            }
          >
            It is the table: show the cut
          </Plain>
        )}
        <Plain onClick={leaveChosen}>Leave them</Plain>
      </div>
    </section>
  )
}
