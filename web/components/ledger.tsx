'use client'
import type { StepRecord } from '@holosoma/engine'
import { useDesk } from '@/lib/store'
import { VerdictMark } from './ui'

/** All steps, newest first; undone ones stay, struck through. */
export function Ledger() {
  const state = useDesk((d) => d.state)
  const active = new Set(state.activeSteps)
  if (state.steps.length === 0) return <p className="text-graphite">Nothing has been done yet. Every step will be written here with its figures.</p>
  return (
    <ol className="grid gap-2" aria-label="Ledger">
      {[...state.steps].reverse().map((s) => <Entry key={s.id} step={s} active={active.has(s.id)} where={trackName(state.takes, s.track)} />)}
    </ol>
  )
}

function trackName(takes: readonly { id: number; name: string }[], track: string): string {
  if (!track.startsWith('take:')) return track
  return takes.find((t) => `take:${t.id}` === track)?.name ?? 'a take'
}

function Entry({ step, active, where }: { step: StepRecord; active: boolean; where: string }) {
  const verdict = step.findings.length === 0 ? null : step.findings.some((f) => f.verdict === 'unsound') ? 'unsound' : step.findings.some((f) => f.verdict === 'doubtful') ? 'doubtful' : 'sound'
  return (
    <li className={`border-b border-[#e9e3d5] pb-2 ${active ? '' : 'opacity-55'}`} data-active={active}>
      <div className="flex items-start gap-2">
        <span className="pt-[3px]"><VerdictMark verdict={verdict} /></span>
        <div className="min-w-0">
          <p className={`text-[13.5px] ${active ? '' : 'line-through'}`}>{step.description}{!active && <span className="sr-only"> (undone)</span>}</p>
          <p className="figure text-[12px] text-graphite">
            {step.id} · {where} · {new Date(step.createdAt).toLocaleString('en-GB', { dateStyle: 'medium', timeStyle: 'short' })} · {(step.durationMs / 1000).toFixed(1)} s
          </p>
          <p className="figure truncate text-[12px] text-graphite" title={Object.entries(step.outputs).map(([n, h]) => `${n} ${h}`).join('\n')}>{step.operation} v{step.version} → {Object.values(step.outputs).map((h) => h.slice(0, 10)).join(' ') || 'no change'}</p>
        </div>
      </div>
    </li>
  )
}
