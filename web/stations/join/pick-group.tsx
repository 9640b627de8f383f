'use client'
import { Trash2 } from 'lucide-react'
import { useMemo } from 'react'
import { IconButton, Plain, Primary } from '@/components/ui'
import { mm } from '@/lib/format'
import { fitPairs, pairsBetween } from '@/lib/picks'
import { attempt, submit, useBusy, useDesk } from '@/lib/store'

/** Pairs picked on two stages: live fit, the one that disagrees, where one more would help. */
export function PickGroup() {
  const state = useDesk((d) => d.state)
  const pairs = useDesk((d) => d.pairs)
  const set = useDesk((d) => d.set)
  const takes = state.takes.filter((t) => t.shape)
  const busy = useBusy()
  const fit = useMemo(() => fitPairs(pairs), [pairs])
  const done = pairs.filter((p) => p.a && p.b).length
  const match = (): Promise<void> => attempt(async () => {
    await submit({ operation: 'join.match', params: { picks: pairsBetween(pairs, takes) } })
    set({ picking: false, view: 'takes' })
  })
  return (
    <>
      <p className="font-caption text-[16px] leading-[1.42]">
        {done < 3
          ? `Click a spot on one take, then the same spot on the other: ${done === 0 ? 'three pairs' : done === 1 ? 'two more pairs' : 'one more pair'}, spread wide, on sharp features. They need not be exact.`
          : fit?.error ?? (fit?.bad !== null && fit?.bad !== undefined ? `Pair ${fit.bad + 1} disagrees with the others, which agree without it. Remove it, or pick it again.` : `Your pairs agree within ${mm(fit?.rmsMm ?? 0)}. The fine match does the rest${done < 6 ? '; one more pair helps most near the mark +' : ''}.`)}
      </p>
      <ol className="my-3 grid gap-1" aria-label="Picked pairs" data-testid="pairs">
        {pairs.map((p, i) => (
          <li key={i} className="flex items-center gap-2 border-b border-[#e9e3d5] text-[13px]">
            <span className="grid h-5 w-5 place-items-center rounded-full bg-ink text-[12px] font-semibold text-card">{i + 1}</span>
            <span className={`flex-1 ${fit?.bad === i ? 'font-semibold text-madder' : 'text-graphite'}`}>{fit?.bad === i ? 'disagrees with the others' : p.a && p.b ? 'both sides' : `waiting for the ${p.a ? 'right' : 'left'} side`}</span>
            <span className="figure">{fit?.residualMm?.[i] !== undefined && p.a && p.b ? mm(fit.residualMm[i]!) : ''}</span>
            <IconButton name={`Remove pair ${i + 1}`} onClick={() => set({ pairs: pairs.filter((_, k) => k !== i) })}><Trash2 size={15} /></IconButton>
          </li>
        ))}
      </ol>
      <Primary disabled={busy || !fit || !!fit.error} onClick={match}>Match the takes</Primary>
      {pairs.length > 0 && <Plain className="mt-2 w-full" onClick={() => set({ pairs: [] })}>Remove all picks</Plain>}
      {state.join && <Plain className="mt-2 w-full" onClick={() => set({ picking: false, pairs: [] })}>Back to the join as it is</Plain>}
    </>
  )
}
