'use client'
import { Plus } from 'lucide-react'
import { useState } from 'react'
import type { TakeState } from '@holosoma/engine'
import { joinTold } from '@/lib/joining'
import { useDesk } from '@/lib/store'
import { groupedByPose } from '@/lib/take-groups'
import { Bin } from './bin'
import { ResultCells, type JudgeResult } from './result-cells'
import { TakeCell } from './take-cell'
import { GroupCell } from './take-group-cell'

/** The strip of takes, and of what was made of them. */
export function ContactSheet({ judge, onAdd }: { judge: JudgeResult; onAdd: () => void }) {
  const state = useDesk((d) => d.state)
  const selected = useDesk((d) => d.selectedTake)
  const set = useDesk((d) => d.set)
  const [open, setOpen] = useState<readonly string[]>([])
  const pairs = state.join && !state.join.stale ? joinTold(state.join).pairs : []
  const cell = (take: TakeState) => (
    <TakeCell
      key={take.id}
      take={take}
      on={take.id === selected}
      pair={pairs.find((p) => p.take === take.name)}
      onSelect={() => set({ selectedTake: take.id })}
    />
  )
  return (
    <footer
      className="flex h-[118px] items-center gap-2.5 overflow-x-auto border-t border-hair bg-ground px-4"
      aria-label="Contact sheet"
    >
      {groupedByPose(state.takes).map((group) => {
        if (!group.pose) return cell(group.takes[0])
        const isOpen = open.includes(group.pose)
        return [
          <GroupCell
            key={`pose ${group.pose}`}
            pose={group.pose}
            takes={group.takes}
            open={isOpen}
            onOpen={() => setOpen(isOpen ? open.filter((p) => p !== group.pose) : [...open, group.pose!])}
          />,
          ...(isOpen ? group.takes.map(cell) : []),
        ]
      })}
      <button
        type="button"
        onClick={onAdd}
        className="flex h-[100px] shrink-0 items-center gap-1.5 rounded-lg border border-dashed border-[#b9b09b] px-5 text-graphite hover:border-graphite hover:text-ink"
      >
        <Plus size={16} aria-hidden="true" /> Take or import
      </button>
      <ResultCells judge={judge} />
      <Bin />
    </footer>
  )
}
