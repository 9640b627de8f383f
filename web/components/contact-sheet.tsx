'use client'
import { Anchor, Eye, EyeOff, Lock, LockOpen, Plus } from 'lucide-react'
import type { TakeState } from '@holosoma/engine'
import { api } from '@/lib/api'
import { percent, short } from '@/lib/format'
import { joinTold } from '@/lib/joining'
import { pigmentOf } from '@/lib/pigments'
import { attempt, useDesk } from '@/lib/store'
import { ResultCells, type JudgeResult } from './result-cells'
import { Thumbnail } from './thumbnail'
import { IconButton } from './ui'

/** The strip of takes, and of what was made of them. */
export function ContactSheet({ judge, onAdd }: { judge: JudgeResult; onAdd: () => void }) {
  const state = useDesk((d) => d.state)
  const selected = useDesk((d) => d.selectedTake)
  const set = useDesk((d) => d.set)
  const pairs = state.join && !state.join.stale ? joinTold(state.join).pairs : []
  return (
    <footer
      className="flex h-[118px] items-center gap-2.5 overflow-x-auto border-t border-hair bg-ground px-4"
      aria-label="Contact sheet"
    >
      {state.takes.map((take) => (
        <Cell
          key={take.id}
          take={take}
          on={take.id === selected}
          pair={pairs.find((p) => p.take === take.name)}
          onSelect={() => set({ selectedTake: take.id })}
        />
      ))}
      <button
        type="button"
        onClick={onAdd}
        className="flex h-[100px] shrink-0 items-center gap-1.5 rounded-lg border border-dashed border-[#b9b09b] px-5 text-graphite hover:border-graphite hover:text-ink"
      >
        <Plus size={16} aria-hidden="true" /> Take or import
      </button>
      <ResultCells judge={judge} />
    </footer>
  )
}

function Cell({
  take,
  on,
  pair,
  onSelect,
}: {
  take: TakeState
  on: boolean
  pair?: { overlap: number; p95Mm: number }
  onSelect: () => void
}) {
  const { colour, name } = pigmentOf(take)
  const solo = useDesk((d) => d.solo)
  const hidden = solo === null ? take.hidden : solo !== take.id
  return (
    <div
      className={`flex h-[100px] shrink-0 items-center gap-2.5 rounded-lg border border-hair bg-card pr-1 pl-[7px] ${on ? 'shadow-[0_0_0_2px_var(--color-woad)]' : ''} ${hidden ? 'opacity-60' : ''}`}
      data-testid="take"
    >
      <button
        type="button"
        onClick={onSelect}
        className="flex items-center gap-2.5 text-left"
        aria-pressed={on}
        aria-label={`Take ${take.ordinal}, ${take.name}`}
      >
        <Thumbnail hash={take.shape?.hash ?? null} colour={colour} width={96} height={84} />
        <span className="block w-[104px]">
          <span className="flex items-center gap-1.5 font-semibold">
            <i className="inline-block h-2.5 w-2.5 shrink-0 rounded-sm" style={{ background: colour }} title={name} />
            <span className="truncate">
              {take.ordinal} {take.name}
            </span>
          </span>
          <span className="figure block text-[12px] text-graphite">
            {take.shape ? `${short(take.shape.points)} points` : 'arriving…'}
          </span>
          <span className="block truncate text-[12px] text-graphite">
            {solo === take.id
              ? 'alone on the stage'
              : take.fixed
                ? 'fixed'
                : pair
                  ? `${pair.p95Mm.toFixed(2)} mm, ${percent(pair.overlap, 0)}`
                  : take.pose}
          </span>
        </span>
      </button>
      <div className="grid grid-rows-3">
        <IconButton
          className="h-8 w-8"
          name={take.hidden ? 'Show' : 'Hide'}
          onClick={() => attempt(() => api.updateTake(take.id, { hidden: !take.hidden }))}
        >
          {take.hidden ? <EyeOff size={15} /> : <Eye size={15} />}
        </IconButton>
        <IconButton
          className="h-8 w-8"
          name={take.locked ? 'Unlock' : 'Lock: nothing can change it'}
          onClick={() => attempt(() => api.updateTake(take.id, { locked: !take.locked }))}
        >
          {take.locked ? <Lock size={15} /> : <LockOpen size={15} />}
        </IconButton>
        <IconButton
          className={`h-8 w-8 ${take.fixed ? 'text-ink' : ''}`}
          name={take.fixed ? 'The fixed take: others move to it' : 'Make this the fixed take'}
          disabled={take.fixed}
          onClick={() => attempt(() => api.updateTake(take.id, { fixed: true }))}
        >
          <Anchor size={15} strokeWidth={take.fixed ? 2.6 : 1.6} />
        </IconButton>
      </div>
    </div>
  )
}
