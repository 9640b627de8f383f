'use client'
import { proxy, wrap } from 'comlink'
import { useEffect, useState } from 'react'
import type { Brief } from '@holosoma/core/brief'
import { type Plan, planFindings, runSheetOf, type RunSheet } from '@holosoma/core/plan'
import type { Finding } from '@holosoma/core/findings'
import type { PieceRow } from '@holosoma/engine'
import { poseDrawing } from '@/lib/pose-drawing'
import { runSheetPdf } from '@/lib/run-sheet-pdf'
import { download } from '@/lib/sheets'
import type { PlanWorker } from '@/workers/plan.worker'
import { Plain, Primary, VerdictWord } from './ui'

interface Made {
  sheet: RunSheet
  drawings: readonly string[]
  findings: readonly Finding[]
}

/** The session on paper: what to do in what order, with what to set, to tick off and to write down. */
export function RunSheetPage({
  piece,
  brief,
  plan,
  version,
}: {
  piece: PieceRow
  brief: Brief
  plan: Plan | null
  version: number
}) {
  const [made, setMade] = useState<Made | null>(null)
  const [note, setNote] = useState('Working the plan out')
  const [error, setError] = useState<string | null>(null)
  useEffect(() => {
    if (!plan) return
    const worker = new Worker(new URL('../workers/plan.worker.ts', import.meta.url), { type: 'module' })
    const remote = wrap<PlanWorker>(worker)
    let current = true
    void (async () => {
      try {
        const draw = await remote.setUp(plan.standIn, [brief.lengthMm, brief.widthMm, brief.heightMm])
        if ('error' in draw) throw new Error(draw.error)
        const evaluation = await remote.evaluate(plan, brief, null)
        if ('error' in evaluation) throw new Error(evaluation.error)
        const details = await remote.details(
          plan,
          brief,
          new SharedArrayBuffer(4),
          proxy((f: number, n: string) => current && setNote(`${n}, ${Math.round(f * 100)} %`)),
        )
        if (!details || 'error' in details) throw new Error(details?.error ?? 'Stopped.')
        const mesh = { kind: 'mesh' as const, positions: draw.positions, indices: draw.indices }
        if (current)
          setMade({
            sheet: runSheetOf(plan, brief, evaluation.report, details),
            drawings: plan.takes.map((t) => poseDrawing(mesh, t, plan.device)),
            findings: planFindings(plan, brief, evaluation.report, details),
          })
      } catch (e) {
        if (current) setError((e as Error).message)
      } finally {
        worker.terminate()
      }
    })()
    return () => {
      current = false
      worker.terminate()
    }
  }, [plan, brief])
  const title = `${piece.name} ${piece.number}`.trim()
  if (!plan)
    return (
      <main className="mx-auto max-w-[820px] px-8 py-8">
        <h1 className="font-caption text-[26px] font-semibold">{title}</h1>
        <p className="mt-3">There is no plan yet; lay one out at Plan first.</p>
      </main>
    )
  return (
    <main className="mx-auto max-w-[820px] px-8 py-8">
      <div className="no-print float-right flex gap-2">
        <Plain className="px-4" onClick={() => window.print()} disabled={!made}>
          Print
        </Plain>
        <Primary
          className="!w-auto"
          disabled={!made}
          onClick={() =>
            void runSheetPdf({ title, sample: piece.sample, brief, plan, version, ...made! }).then(
              (pdf) => download(`${title.replace(/[^\p{L}\p{N}]+/gu, '-')}-run-sheet.pdf`, pdf),
              (e: Error) => setError(e.message),
            )
          }
        >
          Save as PDF
        </Primary>
      </div>
      <p className="text-graphite">Holosoma, run sheet{version > 0 && `, plan version ${version}`}</p>
      <h1 className="font-caption text-[28px] font-semibold">
        {piece.name} <span className="figure text-[18px] font-normal text-graphite">{piece.number}</span>
      </h1>
      {piece.sample && <p className="text-graphite">Sample data: an invented piece.</p>}
      {error && (
        <p role="alert" className="mt-3 rounded-md border border-madder/40 bg-blush px-3 py-2">
          {error}
        </p>
      )}
      {!made && !error && (
        <p role="status" className="mt-4 text-graphite">
          {note}…
        </p>
      )}
      {made && <Sheet brief={brief} plan={plan} {...made} />}
    </main>
  )
}

function Sheet({ brief, plan, sheet, drawings, findings }: { brief: Brief; plan: Plan } & Made) {
  return (
    <>
      <p className="mt-1">
        {brief.lengthMm} × {brief.widthMm} × {brief.heightMm} mm{brief.massG !== null && `, ${brief.massG} g`}.{' '}
        {plan.device.name}.{' '}
        <span className="figure">
          {plan.startAt} to {sheet.ends}
        </span>
        , {Math.round(sheet.minutes)} min.
      </p>
      <section className="mt-3 rounded-lg border border-hair bg-card px-4 py-2.5">
        {findings.slice(0, 4).map((f, i) => (
          <p key={i} className="flex gap-3 py-0.5">
            <span className="w-24 shrink-0">
              <VerdictWord verdict={f.verdict} />
            </span>
            <span className="font-caption text-[15px]">{f.text}</span>
          </p>
        ))}
      </section>
      <table className="mt-3 w-full text-[13.5px]">
        <tbody>
          {sheet.permissions.map((p) => (
            <tr key={p.name} className="border-t border-hair">
              <th scope="row" className="w-48 py-1 text-left font-normal text-graphite">
                {p.name}
              </th>
              <td>{p.text}</td>
            </tr>
          ))}
        </tbody>
      </table>
      <ol className="mt-4 grid gap-3" aria-label="Steps">
        {sheet.steps.map((s) => (
          <li
            key={s.number}
            className="grid break-inside-avoid grid-cols-[34px_1fr_auto] gap-3 border-t border-hair pt-2.5"
            data-testid="run-step"
          >
            <span className="font-caption text-[20px] font-semibold">{s.number}</span>
            <div>
              <h2 className="flex items-baseline justify-between gap-3 font-semibold">
                {s.title}
                <span className="figure text-[13px] font-normal text-graphite">{s.at}</span>
              </h2>
              {s.lines.map((l, i) => (
                <p key={i} className="text-[14px]">
                  {l}
                </p>
              ))}
              {s.caution && (
                <p className="mt-1 border-l-2 border-graphite pl-2 text-[12.5px]">
                  <b className="font-semibold">Caution.</b> {s.caution.text} {sheet.defer}
                </p>
              )}
              {s.title === 'Callipers' && <Callipers brief={brief} />}
              <p className="mt-1.5 flex flex-wrap gap-x-5 text-[13px]">
                {s.checks.map((c) => (
                  <span key={c} className="flex items-center gap-1.5">
                    <i className="inline-block h-3.5 w-3.5 border border-ink" />
                    {c}
                  </span>
                ))}
              </p>
            </div>
            {s.take !== null && (
              <div
                className="w-[220px]"
                role="img"
                aria-label={`Pose of take ${plan.takes[s.take].name}`}
                dangerouslySetInnerHTML={{
                  __html: drawings[s.take].replace('width="300" height="170"', 'width="220"'),
                }}
              />
            )}
          </li>
        ))}
      </ol>
      <section className="mt-5 break-inside-avoid border-t border-hair pt-2">
        <h2 className="font-semibold">Cautions</h2>
        {sheet.cautions.map((c) => (
          <p key={c.id} className="text-[13px]">
            {c.text}
          </p>
        ))}
        <p className="text-[13px] font-semibold">{sheet.defer}</p>
      </section>
    </>
  )
}

function Callipers({ brief }: { brief: Brief }) {
  return (
    <table className="mt-1 w-full text-[13.5px]">
      <thead>
        <tr className="text-left text-graphite">
          <th className="font-normal">Distance</th>
          <th className="font-normal">from</th>
          <th className="font-normal">to</th>
          <th className="font-normal">reading, mm</th>
          <th className="font-normal">±</th>
          <th className="font-normal">with</th>
        </tr>
      </thead>
      <tbody>
        {brief.callipers.map((c, i) => (
          <tr key={i} className="border-t border-hair">
            <td className="py-1.5">{c.name}</td>
            <td>{c.from}</td>
            <td>{c.to}</td>
            <td className="figure">{c.readingMm ?? '________'}</td>
            <td className="figure">{c.uncertaintyMm ?? '____'}</td>
            <td>{c.instrument}</td>
          </tr>
        ))}
      </tbody>
    </table>
  )
}
