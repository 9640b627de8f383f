'use client'
import type { Figure, Finding, Verdict } from '@holosoma/core'
import { VerdictMark, VerdictWord } from './ui'

const ORDER: readonly Verdict[] = ['sound', 'doubtful', 'unsound']

/** Sentences with their verdict; the worst first. */
export function Findings({ findings }: { findings: readonly Finding[] }) {
  const sorted = [...findings].sort((a, b) => ORDER.indexOf(b.verdict) - ORDER.indexOf(a.verdict))
  const first = sorted[0]
  if (!first) return null
  return (
    <section aria-label="Finding" data-testid="finding">
      <VerdictWord verdict={first.verdict} />
      {sorted.map((f, i) => (
        <p key={`${f.id}${i}`} className="mt-1.5 font-caption text-[16px] leading-[1.42]">
          {f.text}
        </p>
      ))}
      <FigureTable figures={sorted.flatMap((f) => f.figures ?? [])} />
    </section>
  )
}

/** Figures up to so many letters stay on one line with their unit. */
const ONE_LINE = 12

export function FigureTable({ figures }: { figures: readonly Figure[] }) {
  if (figures.length === 0) return null
  return (
    <table className="my-3 w-full border-collapse text-[13px]">
      <tbody>
        {figures.map((f, i) => (
          <tr key={i} className="border-t border-rule last:border-b">
            <th scope="row" className="py-1.5 pr-2 text-left font-normal text-graphite" title={f.rule}>
              {f.label}
              {f.rule && <span className="sr-only"> ({f.rule})</span>}
            </th>
            <td className={`figure py-1.5 text-right ${String(f.value).length <= ONE_LINE ? 'whitespace-nowrap' : ''}`}>
              {f.value}
              {f.unit ? ` ${f.unit}` : ''}
            </td>
            <td className="w-6 py-1.5 pl-2">{f.verdict && <VerdictMark verdict={f.verdict} />}</td>
          </tr>
        ))}
      </tbody>
    </table>
  )
}
