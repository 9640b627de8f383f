'use client'
import { useState } from 'react'
import type { TidyStep } from '@holosoma/core/plan'
import type { TakeState } from '@holosoma/engine'
import { Choice, Folded, Group, NumberField, Plain, positiveNumber } from '@/components/ui'
import { api } from '@/lib/api'
import { ACT_NAMES, actState, openProposals } from '@/lib/tidying'
import { attempt, useBusy, useDesk } from '@/lib/store'
import { useLooking } from './use-looking'

const ORDER = [
  'tidy.removeFarFrames',
  'tidy.removeMixed',
  'tidy.removeHolder',
  'tidy.removeDots',
  'tidy.trimTable',
  'tidy.subtractBench',
  'tidy.removeStrays',
] as const
const WHY: Readonly<Record<string, string>> = {
  'tidy.removeFarFrames': 'The device had lost its place.',
  'tidy.removeMixed': 'Mixed points of outlines: other frames saw what lies behind.',
  'tidy.removeHolder': 'What held the piece.',
  'tidy.removeDots': 'White discs in black rings.',
  'tidy.trimTable': 'The plane under the piece.',
  'tidy.subtractBench': 'What was there before the piece came.',
  'tidy.removeStrays': 'What hangs apart from the piece.',
}
const HOLDER_BY = [
  ['round', 'its round wall'],
  ['height', 'its height'],
  ['colour', 'its colour'],
  ['neck', 'the neck above it'],
] as const

/** Acts that find what is not the piece; each is looked at alone, or all are done with the button above. */
export function ByItself({ take }: { take: TakeState }) {
  const state = useDesk((d) => d.state)
  const { looking, look } = useLooking()
  const [offset, setOffset] = useState('0.6')
  const [gap, setGap] = useState('')
  const [by, setBy] = useState<string>('round')
  const [height, setHeight] = useState('')
  const [dots, setDots] = useState(String(state.plan?.content.dots.diameterMm ?? 5))
  const proposed = openProposals(state, take)
  const busy = useBusy()
  const isProposed = (operation: string): boolean => proposed.some((s) => s.operation === operation)
  const act = (operation: string): TidyStep | null => {
    if (operation === 'tidy.trimTable') {
      const v = Number(offset.replace(',', '.'))
      return offset.trim() !== '' && Number.isFinite(v) && v >= 0 ? { operation, params: { offsetMm: v } } : null
    }
    if (operation === 'tidy.removeStrays') {
      const v = positiveNumber(gap)
      return v === null && gap.trim() !== '' ? null : { operation, params: { gapMm: v } }
    }
    if (operation === 'tidy.removeHolder') {
      const v = positiveNumber(height)
      return by === 'height' && v === null ? null : { operation, params: { by, heightMm: v } }
    }
    if (operation === 'tidy.removeDots') {
      const v = positiveNumber(dots)
      return v === null ? null : { operation, params: { diameterMm: v } }
    }
    return { operation, params: {} }
  }
  return (
    <Group title="By itself" open>
      <ul className="grid grid-cols-[minmax(0,1fr)] gap-1" aria-label="Acts">
        {ORDER.filter((o) => o !== 'tidy.subtractBench' || state.bench).map((operation) => {
          const name = ACT_NAMES[operation]
          const become = actState(state, take, operation)
          return (
            <li
              key={operation}
              className="flex min-h-9 items-center gap-2 border-t border-ground py-1 text-[13px] first:border-t-0"
            >
              <span className="min-w-0 flex-1">
                <span className="block font-medium">
                  {name}
                  {isProposed(operation) ? (
                    <span className="font-normal text-verdigris"> · proposed</span>
                  ) : become ? (
                    <span className="font-normal text-graphite"> · {become}</span>
                  ) : null}
                </span>
                <span className="block truncate text-[12px] text-graphite" title={WHY[operation]}>
                  {WHY[operation]}
                </span>
              </span>
              {isProposed(operation) && (
                <Plain
                  disabled={busy || take.locked}
                  aria-label={`Leave: ${name}`}
                  title="Not wanted for this take; it is not proposed any more"
                  onClick={() => attempt(() => api.leaveProposal(take.id, operation))}
                >
                  Leave
                </Plain>
              )}
              <Plain
                disabled={looking !== null || take.locked}
                aria-label={`Show: ${name}`}
                onClick={() => look(act(operation), 'Give the figure in mm, as a number.')}
              >
                {looking === operation ? 'Looking…' : 'Show'}
              </Plain>
            </li>
          )
        })}
      </ul>
      <Folded title="How they look for it" titleClass="min-h-8 text-[12.5px] text-graphite">
        <div className="mt-2 grid gap-2">
          <NumberField
            label="Cut above the table"
            unit="mm"
            value={offset}
            onChange={(e) => setOffset(e.target.value)}
          />
          <NumberField
            label="Apart by more than"
            unit="mm"
            placeholder="auto"
            value={gap}
            onChange={(e) => setGap(e.target.value)}
          />
          <NumberField label="Width of the dots" unit="mm" value={dots} onChange={(e) => setDots(e.target.value)} />
          <div className="flex items-center justify-between gap-3 text-[13px]">
            <span>What holds it is told by</span>
            <Choice
              label="What holds it is told by"
              value={by}
              options={HOLDER_BY.map(([v, l]) => [v, l] as const)}
              onChange={(v) => setBy(v)}
            />
          </div>
          {by === 'height' && (
            <NumberField
              label="It reaches over the table"
              unit="mm"
              value={height}
              onChange={(e) => setHeight(e.target.value)}
            />
          )}
        </div>
      </Folded>
    </Group>
  )
}
