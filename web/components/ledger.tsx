'use client'
import { useVirtualizer } from '@tanstack/react-virtual'
import { useEffect, useMemo, useState, type RefObject } from 'react'
import type { Act, PieceState, StepRecord } from '@holosoma/engine'
import { worst } from '@holosoma/core/findings'
import { api } from '@/lib/api'
import { when } from '@/lib/dates'
import { useDesk } from '@/lib/store'
import { VerdictMark } from './ui'

/** A line of the ledger: a step, or what somebody did that left none. */
type Line = { readonly at: string; readonly step: StepRecord } | { readonly at: string; readonly act: Act }

/** Height of a line before it is measured, px. */
const USUAL_PX = 74

/**
 * All steps and acts, newest first; undone ones stay, struck through. Only the lines in sight are drawn.
 * @param scroll what scrolls
 */
export function Ledger({ scroll }: { scroll: RefObject<HTMLElement | null> }) {
  const state = useDesk((d) => d.state)
  const acts = useActs(
    state.piece.id,
    `${state.steps.length} ${state.activeSteps.length} ${state.jobs.at(-1)?.id} ` +
      `${state.takes.map((t) => t.name).join()}`,
  )
  const active = useMemo(() => new Set(state.activeSteps), [state.activeSteps])
  const lines = useMemo(() => linesOf(state.steps, acts), [state.steps, acts])
  const virtual = useVirtualizer({
    count: lines.length,
    getScrollElement: () => scroll.current,
    estimateSize: () => USUAL_PX,
    overscan: 8,
    getItemKey: (i) => {
      const line = lines[i]
      return 'step' in line ? `s${line.step.id}` : `a${line.act.id}`
    },
  })
  if (lines.length === 0)
    return <p className="text-graphite">Nothing has been done yet. Every step will be written here with its figures.</p>
  return (
    <ol aria-label="Ledger" className="relative" style={{ height: virtual.getTotalSize() }}>
      {virtual.getVirtualItems().map((item) => {
        const line = lines[item.index]
        return (
          <li
            key={item.key}
            ref={virtual.measureElement}
            data-index={item.index}
            aria-setsize={lines.length}
            aria-posinset={item.index + 1}
            {...('step' in line && { 'data-active': active.has(line.step.id) })}
            className="absolute inset-x-0 top-0 pb-2"
            style={{ transform: `translateY(${item.start}px)` }}
          >
            {'step' in line ? (
              <Entry step={line.step} active={active.has(line.step.id)} where={trackName(state, line.step.track)} />
            ) : (
              <ActLine act={line.act} />
            )}
          </li>
        )
      })}
    </ol>
  )
}

/** @param key changes whenever there may be new ones */
function useActs(pieceId: number, key: string): readonly Act[] {
  const [acts, setActs] = useState<readonly Act[]>([])
  useEffect(() => {
    let current = true
    api.acts(pieceId).then(
      (a) => current && setActs(a.acts),
      () => undefined,
    )
    return () => {
      current = false
    }
  }, [pieceId, key])
  return acts
}

/** Newest first. */
export function linesOf(steps: readonly StepRecord[], acts: readonly Act[]): Line[] {
  const lines: Line[] = [
    ...steps.map((step) => ({ at: step.createdAt, step })),
    ...acts.map((act) => ({ at: act.at, act })),
  ]
  return lines.sort((a, b) => (a.at < b.at ? 1 : a.at > b.at ? -1 : 0))
}

function trackName({ takes, results, bin }: PieceState, track: string): string {
  const of = (list: readonly { readonly id: number; readonly name: string }[], what: string): string =>
    list.find((x) => `${what}:${x.id}` === track)?.name ?? `a ${what}`
  if (track.startsWith('result:')) return of([...results, ...bin.results], 'result')
  return track.startsWith('take:') ? of([...takes, ...bin.takes], 'take') : track
}

function ActLine({ act }: { act: Act }) {
  return (
    <div className="border-b border-rule pb-2 pl-[21px]">
      <p className="text-[13.5px] text-graphite">{act.text}</p>
      <p className="figure text-[12px] text-graphite">
        {act.kind} · {when(act.at)} · {act.who}
      </p>
    </div>
  )
}

function Entry({ step, active, where }: { step: StepRecord; active: boolean; where: string }) {
  const verdict = step.findings.length === 0 ? null : worst(step.findings)
  return (
    <div className={`border-b border-rule pb-2 ${active ? '' : 'opacity-55'}`}>
      <div className="flex items-start gap-2">
        <span className="pt-[3px]">
          <VerdictMark verdict={verdict} />
        </span>
        <div className="min-w-0">
          <p className={`text-[13.5px] ${active ? '' : 'line-through'}`}>
            {step.description}
            {!active && <span className="sr-only"> (undone)</span>}
          </p>
          <p className="figure text-[12px] text-graphite">
            {step.id} · {where} · {when(step.createdAt)} · {(step.durationMs / 1000).toFixed(1)} s · {step.who}
          </p>
          <p
            className="figure truncate text-[12px] text-graphite"
            title={Object.entries(step.outputs)
              .map(([n, h]) => `${n} ${h}`)
              .join('\n')}
          >
            {step.operation} v{step.version} →{' '}
            {Object.values(step.outputs)
              .map((h) => h.slice(0, 10))
              .join(' ') || 'no change'}
            {step.gone && ' (removed for good)'}
          </p>
        </div>
      </div>
    </div>
  )
}
