'use client'
import { Ellipsis } from 'lucide-react'
import { useState } from 'react'
import type { Finding, Verdict } from '@holosoma/core/findings'
import type { ResultState } from '@holosoma/engine'
import { api } from '@/lib/api'
import { comparisonFrom } from '@/lib/comparison'
import { resultTold } from '@/lib/results'
import { attempt, useDesk } from '@/lib/store'
import { Thumbnail } from './thumbnail'
import { IconButton, Menu, TextDialog, VerdictMark } from './ui'

const CLAY = '#C08A68'

/** What a result comes to if it left as it is. */
export type JudgeResult = (id: number) => {
  readonly verdict: Verdict | null
  readonly findings: readonly Finding[]
}

/** The skins of the piece, beside its takes: the one that is shown is what the route speaks of. */
export function ResultCells({ judge }: { judge: JudgeResult }) {
  const { results, mesh } = useDesk((d) => d.state)
  const [writing, setWriting] = useState<ResultState | null>(null)
  if (results.length === 0) return null
  return (
    <>
      <i className="h-[84px] w-px shrink-0 bg-[#cfc6b2]" aria-hidden="true" />
      {results
        .filter((r) => !r.hidden || r.id === mesh?.id)
        .map((r) => (
          <Cell
            key={r.id}
            result={r}
            told={judge(r.id)}
            on={r.id === mesh?.id}
            alone={results.filter((o) => !o.hidden).length < 2}
            onWrite={() => setWriting(r)}
          />
        ))}
      <HiddenResults results={results.filter((r) => r.hidden && r.id !== mesh?.id)} />
      {writing && (
        <TextDialog
          title="This result"
          verb="Write it down"
          fields={FIELDS}
          given={writing}
          onDone={() => setWriting(null)}
          onWrite={(texts) => api.updateResult(writing.id, texts)}
        />
      )}
    </>
  )
}

/** Results that are folded away; each shows again at a click. */
function HiddenResults({ results }: { results: readonly ResultState[] }) {
  if (results.length === 0) return null
  return (
    <Menu
      items={results.map(({ id, name }) => ({
        name: `Show “${name}” again`,
        run: () => void attempt(() => api.updateResult(id, { hidden: false })),
      }))}
    >
      <button
        type="button"
        className="h-[100px] w-16 shrink-0 rounded-lg border border-dashed border-hair text-[12.5px] text-graphite hover:border-graphite"
      >
        {results.length} hidden
      </button>
    </Menu>
  )
}

function Cell({
  result,
  told,
  on,
  alone,
  onWrite,
}: {
  result: ResultState
  told: ReturnType<JudgeResult>
  on: boolean
  /** The only one that shows. */
  alone: boolean
  onWrite: () => void
}) {
  const pieceId = useDesk((d) => d.state.piece.id)
  const { triangles, made } = resultTold(result)
  const { verdict } = told
  const why = told.findings.find((f) => f.verdict === verdict)?.text ?? ''
  const { id, name } = result
  const compare = (): void => {
    const { state, set } = useDesk.getState()
    set({ comparing: comparisonFrom(state, id) })
  }
  const show = (): Promise<void> => attempt(() => api.updateResult(id, { shown: true }))
  return (
    <div
      data-testid="result"
      className={`flex h-[100px] shrink-0 items-center gap-2.5 rounded-lg border border-hair bg-card pr-1 pl-[7px] ${on ? 'shadow-[0_0_0_2px_var(--color-woad)]' : ''}`}
    >
      <button
        type="button"
        onClick={() => !on && void show()}
        aria-pressed={on}
        aria-label={`Result ${name}, ${verdict ?? 'not looked at'}${on ? ', the skin' : ''}`}
        title={[name, result.purpose, result.note, why].filter((t) => t !== '').join('\n')}
        className="flex items-center gap-2.5 text-left"
      >
        <Thumbnail hash={result.shape.hash} colour={CLAY} width={96} height={84} />
        <span className="block w-[136px]">
          <span className="flex items-center gap-1.5 font-semibold">
            <VerdictMark verdict={verdict} />
            <span className="truncate">{name}</span>
          </span>
          <span className="figure block text-[12px] text-graphite">{triangles}</span>
          <span className="block truncate text-[12px] text-graphite">{made}</span>
          <span className="block truncate text-[12px] text-graphite">
            {result.stale ? 'takes changed since' : on ? 'the skin' : result.purpose}
          </span>
        </span>
      </button>
      <Menu
        items={[
          { name: 'Compare…', run: compare },
          { name: 'Show as the skin', disabled: on, run: () => void show() },
          { name: 'Name and note…', run: onWrite },
          {
            name: 'Begin another from it',
            run: () => void attempt(() => api.deriveResult(pieceId, id)),
          },
          {
            name: 'Hide',
            disabled: alone,
            run: () => void attempt(() => api.updateResult(id, { hidden: true })),
          },
          { name: 'Put into the bin', run: () => void attempt(() => api.updateResult(id, { binned: true })) },
        ]}
      >
        <IconButton name={`More of “${name}”`} className="self-start">
          <Ellipsis size={16} />
        </IconButton>
      </Menu>
    </div>
  )
}

const FIELDS = [
  { name: 'name', label: 'Name', most: 80, required: true },
  { name: 'purpose', label: 'What it is for', most: 80 },
  { name: 'note', label: 'Note', most: 400 },
] as const
