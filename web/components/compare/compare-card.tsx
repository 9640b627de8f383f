'use client'
import { X } from 'lucide-react'
import { useEffect, useState } from 'react'
import { api } from '@/lib/api'
import { differenceOf, figuresOf, isHere, nameOf, type Compared, type Comparison, type Foreign } from '@/lib/comparison'
import { attempt, useDesk } from '@/lib/store'
import type { JudgeResult } from '../result-cells'
import { Choice, IconButton, RadioList } from '../ui'

const MODES = [
  { value: 'beside', word: 'Side by side', note: 'views linked' },
  { value: 'divider', word: 'Divider', note: 'dragged over both' },
  { value: 'difference', word: 'Difference', note: 'painted on the first' },
] as const

/** What is held against what, and their figures beside each other. */
export function CompareCard({ comparing, judge }: { comparing: Comparison; judge: JudgeResult }) {
  const state = useDesk((d) => d.state)
  const set = useDesk((d) => d.set)
  const { a, b, mode } = comparing
  const choose = (change: Partial<Comparison>): void => set({ comparing: { ...comparing, ...change } })
  const verdictOf = (what: Compared) => (what.of === 'result' ? judge(what.id).verdict : null)
  const [left, right] = [figuresOf(state, a, verdictOf(a)), figuresOf(state, b, verdictOf(b))]
  return (
    <section aria-label="Compare">
      <div className="flex items-start justify-between">
        <h2 className="mb-2 font-caption text-[21px] leading-tight font-semibold">How do they differ?</h2>
        <IconButton name="Back to the station" onClick={() => set({ comparing: null })}>
          <X size={17} />
        </IconButton>
      </div>
      <div className="grid gap-2">
        <Side label="The first" value={a} onChange={(what) => choose({ a: what })} />
        <Side label="The second" value={b} onChange={(what) => choose({ b: what })} />
      </div>
      <RadioList
        label="How they are shown"
        value={mode}
        options={MODES}
        onChange={(m) => choose({ mode: m })}
        className="mt-3 grid gap-1.5"
      />
      {isHere(state, a) && isHere(state, b) ? (
        <table className="figure mt-3 w-full text-[12.5px]" aria-label="Figures of both">
          <thead>
            <tr className="text-left text-graphite">
              <td />
              <th className="max-w-24 truncate font-normal" scope="col">
                {nameOf(state, a)}
              </th>
              <th className="max-w-24 truncate font-normal" scope="col">
                {nameOf(state, b)}
              </th>
              <th className="font-normal" scope="col">
                the second has
              </th>
            </tr>
          </thead>
          <tbody>
            {left.map((row, i) => (
              <tr key={row.label} className="border-t border-rule">
                <th scope="row" className="py-1 pr-2 text-left font-bench font-normal">
                  {row.label}
                </th>
                <td className="pr-2">{row.text}</td>
                <td className="pr-2">{right[i].text}</td>
                <td className="text-graphite">{differenceOf(row, right[i])}</td>
              </tr>
            ))}
          </tbody>
        </table>
      ) : (
        <p className="mt-3 text-[13.5px]">One of the two is gone or in the bin; choose another.</p>
      )}
      {mode === 'difference' && (
        <p className="mt-2 text-[13px] text-graphite">
          Measured from the drawn points of the first to the nearest place of the second; umber stands out over it,
          indigo lies within.
        </p>
      )}
    </section>
  )
}

const TAKES = 'takes'
const OTHER = 'other'

/** One of the two: a result, the takes, or what another piece holds. */
function Side({ label, value, onChange }: { label: string; value: Compared; onChange: (what: Compared) => void }) {
  const state = useDesk((d) => d.state)
  const [seeking, setSeeking] = useState(false)
  const chosen = value.of === 'result' ? String(value.id) : value.of === 'takes' ? TAKES : OTHER
  const options: (readonly [string, string])[] = [
    ...state.results.map((r) => [String(r.id), r.name] as const),
    ...(state.goesIn.length > 0 ? [[TAKES, 'the takes'] as const] : []),
    [OTHER, value.of === 'foreign' ? nameOf(state, value) : 'another piece…'],
  ]
  return (
    <div className="grid gap-1.5 text-[13px]">
      <div className="flex items-center justify-between gap-3">
        <span>{label}</span>
        <Choice
          label={label}
          value={chosen}
          options={options}
          onChange={(v) => {
            setSeeking(v === OTHER)
            if (v !== OTHER) onChange(v === TAKES ? { of: 'takes' } : { of: 'result', id: Number(v) })
          }}
          className="w-52"
        />
      </div>
      {seeking && (
        <OtherPiece
          onChoose={(foreign) => {
            setSeeking(false)
            onChange({ of: 'foreign', foreign })
          }}
        />
      )}
    </div>
  )
}

/** Chooses a result of another piece of the shelf. */
function OtherPiece({ onChoose }: { onChoose: (foreign: Foreign) => void }) {
  const here = useDesk((d) => d.state.piece.id)
  const [pieces, setPieces] = useState<readonly { id: number; name: string }[]>([])
  const [results, setResults] = useState<readonly Foreign[]>([])
  const [piece, setPiece] = useState<number | null>(null)
  useEffect(() => {
    void attempt(async () => setPieces((await api.pieces()).filter((p) => p.id !== here && !p.binned)))
  }, [here])
  const open = (id: number): void => {
    setPiece(id)
    void attempt(async () => {
      const pieceName = pieces.find((p) => p.id === id)?.name ?? ''
      setResults((await api.resultsOf(id)).map((result) => ({ pieceId: id, pieceName, result })))
    })
  }
  return (
    <div className="grid justify-items-end gap-1.5">
      <Choice
        label="Piece"
        value={piece ?? 0}
        options={[[0, 'which piece?'] as const, ...pieces.map((p) => [p.id, p.name] as const)]}
        onChange={(id) => id !== 0 && open(id)}
        className="w-52"
      />
      {piece !== null &&
        (results.length === 0 ? (
          <p className="text-graphite">It has no skin yet.</p>
        ) : (
          <Choice
            label="Result"
            value={-1}
            options={[[-1, 'which skin?'] as const, ...results.map((r, i) => [i, r.result.name] as const)]}
            onChange={(i) => i >= 0 && onChoose(results[i])}
            className="w-52"
          />
        ))}
    </div>
  )
}
