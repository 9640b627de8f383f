'use client'
import { Trash2 } from 'lucide-react'
import { useEffect, useMemo } from 'react'
import { IconButton, NumberField, Plain, positiveNumber, Primary, Tick } from '@/components/ui'
import { mm, percent } from '@/lib/format'
import { enoughPicked, fitPairs, pairsBetween, pairsOf, takesToPick } from '@/lib/picks'
import type { PickedPair } from '@/stations/join/desk'
import { attempt, submit, useBusy, useDesk } from '@/lib/store'
import { useLiveMatch } from '@/lib/use-live-match'
import { useColours } from './colour-toggle'

/** Pairs picked on two stages: live fit, the one that disagrees, where one more would help. */
export function PickGroup() {
  const state = useDesk((d) => d.state)
  const pairs = useDesk((d) => d.pairs)
  const set = useDesk((d) => d.set)
  const takes = state.takes.filter((t) => t.shape)
  const busy = useBusy()
  const picks = useDesk((d) => d.picks)
  const selected = useDesk((d) => d.selectedTake)
  const colours = useColours()
  const [left, right] = takesToPick(takes, picks, selected)
  const shown = useMemo(() => pairsOf(pairs, left.id, right.id), [pairs, left.id, right.id])
  const fit = useMemo(() => fitPairs(shown), [shown])
  const agree = fit && !fit.error && fit.bad === null ? fit.rows : null
  const live = useLiveMatch(right.shape!.hash, left.shape!.hash, agree)
  const laid = live && 'rows' in live ? live.rows : agree
  // The stage lays the right take on the left one by it.
  useEffect(() => set({ laid }), [set, laid])
  const done = shown.filter((p) => p.a && p.b && !p.areaMm).length
  const marked = shown.some((p) => p.a && p.b && p.areaMm)
  const match = (): Promise<void> =>
    attempt(async () => {
      await submit({ operation: 'join.match', params: { ...pairsBetween(pairs, takes), colours } })
      set({ picking: false, view: 'takes' })
    })
  const names = (p: PickedPair): string =>
    takes.length === 2
      ? ''
      : `${[p.a, p.b].map((e) => takes.find((t) => t.id === e?.takeId)?.ordinal ?? '…').join(' and ')}, `
  return (
    <>
      <p className="font-caption text-[16px] leading-[1.42]">
        {picks.areas
          ? marked
            ? 'The search by shape begins with the areas you marked.'
            : 'Click the middle of the same area on both takes; the search by shape begins there.'
          : done < 3
            ? 'Click a spot on one take, then the same spot on the other: ' +
              `${done === 0 ? 'three pairs' : done === 1 ? 'two more pairs' : 'one more pair'}, spread ` +
              'wide, on sharp features. They need not be exact.'
            : (fit?.error ??
              (fit?.bad !== null && fit?.bad !== undefined
                ? `Pair ${fit.bad + 1} disagrees with the others, which agree without it. Remove it, or pick it again.`
                : `Your pairs agree within ${mm(fit?.rmsMm ?? 0)}. The fine match does the ` +
                  `rest${done < 6 ? '; one more pair helps most near the mark +' : ''}.`))}
      </p>
      {agree && (
        <p className="mt-1.5 text-[13px] text-graphite" role="status" data-testid="live-match">
          {!live
            ? 'Matching them here…'
            : 'error' in live
              ? live.error
              : `Matched here at once, they share ${percent(live.share, 0)} of their surface, ` +
                `${mm(live.rmsMm, 3)} apart (${mm(live.expectedMm, 3)} is the points’ own scatter). Whether ` +
                'to trust it comes with the match.'}
        </p>
      )}
      <div className="mt-2 grid gap-0.5 text-[13px]">
        <Tick checked={picks.together} disabled={!agree} onChange={(v) => set({ picks: { ...picks, together: v } })}>
          lay the right take on the left one
        </Tick>
        <Tick checked={picks.snap} disabled={picks.areas} onChange={(v) => set({ picks: { ...picks, snap: v } })}>
          spots jump to the nearest corner or edge
        </Tick>
        <div className="flex items-center gap-3">
          <Tick checked={picks.areas} onChange={(v) => set({ picks: { ...picks, areas: v } })}>
            mark areas instead
          </Tick>
          {picks.areas && (
            <NumberField
              label="radius"
              unit="mm"
              className="w-20"
              value={String(picks.areaMm)}
              onChange={(e) => set({ picks: { ...picks, areaMm: positiveNumber(e.target.value) ?? picks.areaMm } })}
            />
          )}
        </div>
      </div>
      <ol className="my-3 grid gap-1" aria-label="Picked pairs" data-testid="pairs">
        {pairs.map((p, i) => (
          <li key={i} className="flex items-center gap-2 border-b border-rule text-[13px]">
            <span className="grid h-5 w-5 place-items-center rounded-full bg-ink text-[12px] font-semibold text-card">
              {i + 1}
            </span>
            <span className={`flex-1 ${fit?.bad === i ? 'font-semibold text-madder' : 'text-graphite'}`}>
              {names(p)}
              {fit?.bad === i
                ? 'disagrees with the others'
                : p.a && p.b
                  ? p.areaMm
                    ? `an area of ${p.areaMm} mm`
                    : 'both sides'
                  : `waiting for the ${p.a ? 'right' : 'left'} side`}
            </span>
            <span className="figure">
              {fit?.residualMm?.[i] !== undefined && p.a && p.b ? mm(fit.residualMm[i]) : ''}
            </span>
            <IconButton name={`Remove pair ${i + 1}`} onClick={() => set({ pairs: pairs.filter((_, k) => k !== i) })}>
              <Trash2 size={15} />
            </IconButton>
          </li>
        ))}
      </ol>
      <Primary disabled={busy || !enoughPicked(pairs) || !!fit?.error} onClick={match}>
        Match the takes
      </Primary>
      {pairs.length > 0 && (
        <Plain className="mt-2 w-full" onClick={() => set({ pairs: [] })}>
          Remove all picks
        </Plain>
      )}
      {state.join && (
        <Plain className="mt-2 w-full" onClick={() => set({ picking: false, pairs: [] })}>
          Back to the join as it is
        </Plain>
      )}
    </>
  )
}
