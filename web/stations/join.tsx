'use client'
import { Crosshair, Trash2 } from 'lucide-react'
import { useMemo, type ComponentProps } from 'react'
import { Findings } from '@/components/finding'
import { ResidualChart } from '@/components/residual-chart'
import { Group, IconButton, Plain, Primary } from '@/components/ui'
import { mm } from '@/lib/format'
import { fitPairs, pairsBetween } from '@/lib/picks'
import { attempt, submit, useBusy, useDesk } from '@/lib/store'

/** Do the takes fit? Picks, live residual, the fine match and its findings. */
export function JoinPanel() {
  const state = useDesk((d) => d.state)
  const picking = useDesk((d) => d.picking)
  const pairs = useDesk((d) => d.pairs)
  const view = useDesk((d) => d.view)
  const set = useDesk((d) => d.set)
  const takes = state.takes.filter((t) => t.shape)
  const busy = useBusy()
  const fit = useMemo(() => fitPairs(pairs), [pairs])
  const fixed = takes.find((t) => t.fixed) ?? takes[0]
  const others = takes.filter((t) => t !== fixed)
  const unplaced = others.filter((t) => !state.join?.motions[t.name])
  const match = (): Promise<void> => attempt(async () => {
    const picks = pairsBetween(pairs, takes)
    await submit({ operation: 'join.match', params: { picks } })
    set({ picking: false, view: 'takes' })
  })
  if (takes.length < 2) {
    return (
      <>
        <h2 className="mb-2 font-caption text-[21px] leading-tight font-semibold">Do the takes fit?</h2>
        <p className="font-caption text-[16px]">Joining needs two takes; there {takes.length === 1 ? 'is one' : 'are none'}.</p>
        <div className="mt-3"><Primary onClick={() => set({ station: takes.length === 1 ? 'skin' : 'take' })}>{takes.length === 1 ? 'Make the skin from this one' : 'Go to Take'}</Primary></div>
      </>
    )
  }
  const done = pairs.filter((p) => p.a && p.b).length
  const charts = (JSON.parse(String(state.join?.step.figures.pairs ?? '[]')) as Partial<ComponentProps<typeof ResidualChart>>[]).filter((c): c is ComponentProps<typeof ResidualChart> => !!c.histogram)
  return (
    <>
      <h2 className="mb-2 font-caption text-[21px] leading-tight font-semibold">Do the takes fit?</h2>
      {picking || !state.join ? (
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
      ) : (
        <>
          {state.join.stale && <p className="mb-2 rounded-md border border-ochre/40 bg-[#f7efe0] px-2.5 py-1.5 text-[13px]">The takes changed after this join. Match again, so that it holds for what is there now.</p>}
          <Findings findings={state.join.step.findings} />
          {charts.map((c) => <ResidualChart key={c.take} take={c.take} histogram={c.histogram} />)}
          {state.join.stale && unplaced.length === 0
            ? <Primary disabled={busy} onClick={() => attempt(() => submit({ operation: 'join.match', params: {} }))}>Match again from here</Primary>
            : unplaced.length > 0
              ? <Primary disabled={busy} onClick={() => set({ picking: true, pairs: [] })}>Pick pairs for “{unplaced[0]!.name}”</Primary>
              : <Primary onClick={() => set({ station: 'skin' })}>Go on to Skin</Primary>}
          <div className="mt-3">
            <Group title="Match by" open>
              <div className="grid grid-cols-2 gap-2">
                <Plain className="flex items-center justify-center gap-1.5" onClick={() => set({ picking: true, pairs: [] })}><Crosshair size={15} aria-hidden="true" /> Picks</Plain>
                <Plain disabled={busy} onClick={() => attempt(() => submit({ operation: 'join.match', params: {} }))}>Match again</Plain>
              </div>
            </Group>
            <p className="figure border-t border-[#e9e3d5] pt-2 text-[12px] text-graphite">{String(state.join.step.figures.iterations)} rounds, {String(state.join.step.figures.stop)}; fixed take: {fixed?.name}</p>
            {view === 'residual' && <p className="mt-1 text-[12.5px] text-graphite">Residual: indigo touches, umber stands apart by twice the scatter or more; grey has no partner.</p>}
          </div>
        </>
      )}
    </>
  )
}
