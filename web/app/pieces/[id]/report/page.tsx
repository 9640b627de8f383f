import { whenUtc } from '@/lib/dates'
import { notFound } from 'next/navigation'
import { listActs, openDatabase, pieceState, type StepRecord } from '@holosoma/engine'
import { PrintButton } from '@/components/print-button'
import { VerdictMark, VerdictWord } from '@/components/ui'
import { figureText } from '@/lib/format'
import { STATION_NAMES, STATIONS } from '@/lib/station-names'
import { briefChecks } from '@/lib/facts'
import { judge } from '@/stations/road'
import { worst } from '@holosoma/core'

export const dynamic = 'force-dynamic'

/** What was done, step by step, as a page to print or keep beside the file. */
export default async function Report({ params }: { params: Promise<{ id: string }> }) {
  const id = Number((await params).id)
  const state = Number.isInteger(id) ? await pieceState(openDatabase(), id) : null
  if (!state) notFound()
  const active = new Set(state.activeSteps)
  const steps = state.steps.filter((s) => active.has(s.id))
  const skin = state.mesh?.chain[0]
  const bounds = state.mesh?.shape.bounds
  const checks = briefChecks(state)
  const acts = await listActs(openDatabase(), id)
  // Of several results each step says whose it is.
  const lines = [...state.results, ...state.bin.results]
  const lineName = (track: string): string =>
    state.takes.find((t) => `take:${t.id}` === track)?.name ??
    (lines.length > 1 ? lines.find((r) => `result:${r.id}` === track)?.name : undefined) ??
    ''
  return (
    <main className="mx-auto max-w-[820px] px-8 py-8">
      <PrintButton />
      <p className="text-graphite">Holosoma, report of what was done</p>
      <h1 className="font-caption text-[28px] font-semibold">
        {state.piece.name} <span className="figure text-[18px] font-normal text-graphite">{state.piece.number}</span>
      </h1>
      {state.piece.sample && (
        <p className="mt-1 text-graphite">Sample data: an invented piece from the simulated bench.</p>
      )}
      {state.mesh && bounds && (
        <section className="mt-4 rounded-lg border border-hair bg-card p-4">
          <h2 className="font-caption text-[18px] font-semibold">The mesh</h2>
          <p className="mt-1">
            {state.mesh.shape.faces.toLocaleString('en')} triangles;{' '}
            {bounds.max.map((v, i) => (v - bounds.min[i]).toFixed(2)).join(' × ')} mm.
          </p>
          {skin?.operation === 'skin.make' && (
            <p>
              {(Number(skin.figures.measured) * 100).toFixed(1)} % measured,{' '}
              {(Number(skin.figures.carried) * 100).toFixed(1)} % carried from close by,{' '}
              {(Number(skin.figures.invented) * 100).toFixed(1)} % invented to close gaps. A reconstruction must not
              pass as a record.
            </p>
          )}
          <p className="figure mt-1 text-[12px] break-all text-graphite">SHA-256 {state.mesh.shape.hash}</p>
        </section>
      )}
      <section aria-label="What each station comes to" className="mt-6">
        <h2 className="mb-2 font-caption text-[18px] font-semibold">What each station comes to</h2>
        <dl className="grid grid-cols-[92px_1fr] gap-x-4">
          {STATIONS.map((station) => {
            const { verdict, findings } = judge(state, station)
            if (verdict === null && findings.length === 0) return null
            return (
              <div key={station} data-testid={`station-${station}`} className="contents">
                <dt className="border-t border-hair py-1.5 font-medium">{STATION_NAMES[station]}</dt>
                <dd className="border-t border-hair py-1.5">
                  {verdict ? <VerdictWord verdict={verdict} /> : <span className="text-graphite">not looked at</span>}
                  {findings
                    .filter((f) => f.verdict !== 'sound')
                    .map((f, i) => (
                      <p key={`${f.id}${i}`} className="font-caption text-[15px]">
                        {f.text}
                      </p>
                    ))}
                </dd>
              </div>
            )
          })}
        </dl>
      </section>
      {checks.length > 0 && (
        <section aria-label="Asked by the brief" className="mt-6">
          <h2 className="mb-2 font-caption text-[18px] font-semibold">Asked by the brief</h2>
          <ul className="grid gap-1">
            {checks.map((c) => (
              <li key={c.id} className="grid grid-cols-[18px_1fr] gap-1.5">
                <span className="pt-1">
                  <VerdictMark verdict={c.verdict} />
                </span>
                <span>
                  {c.text}. <span className="text-graphite">{c.verdict ? `${c.verdict}: ${c.found}` : c.found}</span>
                </span>
              </li>
            ))}
          </ul>
        </section>
      )}
      <h2 className="mt-6 mb-2 font-caption text-[18px] font-semibold">Steps</h2>
      <ol className="grid gap-3">
        {steps.map((s) => (
          <Step key={s.id} step={s} where={lineName(s.track)} />
        ))}
      </ol>
      {acts.length > 0 && (
        <section aria-label="What else was done" className="mt-6">
          <h2 className="mb-2 font-caption text-[18px] font-semibold">What else was done</h2>
          <ol className="grid gap-0.5 text-[13.5px]">
            {acts.map((a) => (
              <li key={a.id}>
                {a.text}{' '}
                <span className="figure text-[12px] text-graphite">
                  {whenUtc(a.at)} · {a.who}
                </span>
              </li>
            ))}
          </ol>
        </section>
      )}
    </main>
  )
}

function Step({ step, where }: { step: StepRecord; where: string }) {
  const shown = Object.entries(step.figures).filter(([k, v]) => typeof v === 'number' && !k.startsWith('plane')) as [
    string,
    number,
  ][]
  return (
    <li className="break-inside-avoid border-t border-hair pt-2">
      <p className="flex items-baseline justify-between gap-4">
        <b>
          {step.description}
          {where && ` (${where})`}
        </b>
        {step.findings.length > 0 && <VerdictWord verdict={worst(step.findings)} />}
      </p>
      {step.findings.map((f, i) => (
        <p key={i} className="font-caption text-[15px]">
          {f.text}
        </p>
      ))}
      <p className="figure mt-1 text-[12px] text-graphite">
        {step.operation} v{step.version} · {whenUtc(step.createdAt)} · {step.who} ·{' '}
        {(step.durationMs / 1000).toFixed(1)} s
      </p>
      <p className="figure text-[12px] text-graphite">{shown.map(([k, v]) => figureText(k, v)).join(' · ')}</p>
    </li>
  )
}
