'use client'
import { ChevronRight, Ellipsis } from 'lucide-react'
import type { TakeState } from '@holosoma/engine'
import { api } from '@/lib/api'
import { short } from '@/lib/format'
import { pigmentOf } from '@/lib/pigments'
import { attempt, submit, useDesk } from '@/lib/store'
import { IconButton, Menu } from './ui'

/** Takes of one pose as one: opened, each of them stands behind it. */
export function GroupCell({
  pose,
  takes,
  open,
  onOpen,
}: {
  pose: string
  takes: readonly TakeState[]
  open: boolean
  onOpen: () => void
}) {
  const pieceId = useDesk((d) => d.state.piece.id)
  const ids = takes.map((t) => t.id)
  const change = (to: Parameters<typeof api.updateTakes>[2]): void =>
    void attempt(() => api.updateTakes(pieceId, ids, to))
  const every = (of: (t: TakeState) => boolean): boolean => takes.every(of)
  const points = takes.reduce((n, t) => n + (t.shape?.points ?? 0), 0)
  const shown = every((t) => !t.hidden),
    locked = every((t) => t.locked),
    inJoin = every((t) => t.inJoin),
    inSkin = every((t) => t.inSkin)
  const free = takes.filter((t) => !t.locked && t.shape?.kind === 'cloud').map((t) => t.id)
  return (
    <div
      data-testid="take-group"
      className="flex h-[100px] shrink-0 items-center gap-1 rounded-lg border border-hair bg-ground pr-1 pl-2.5"
    >
      <button
        type="button"
        aria-expanded={open}
        aria-label={`Pose ${pose}, ${takes.length} takes`}
        onClick={onOpen}
        className="flex h-full w-[132px] flex-col justify-center text-left"
      >
        <span className="flex items-center gap-1 font-semibold" title={pose}>
          <ChevronRight size={14} aria-hidden="true" className={`shrink-0 ${open ? 'rotate-90' : ''}`} />
          <span className="truncate">{pose}</span>
        </span>
        <span className="figure text-[12px] text-graphite">
          {takes.length} takes, {short(points)} points
        </span>
        <span className="text-[12px] text-graphite">
          {[!inJoin && 'not all in the join', !inSkin && 'not all in the skin', locked && 'locked']
            .filter(Boolean)
            .join(', ')}
        </span>
        <span className="mt-1 flex h-2 gap-px overflow-hidden" aria-hidden="true">
          {takes.slice(0, 24).map((t) => (
            <i key={t.id} className="h-2 min-w-[3px] flex-1" style={{ background: pigmentOf(t).colour }} />
          ))}
        </span>
      </button>
      <Menu
        items={[
          { name: 'Show all', checked: shown, run: () => change({ hidden: shown }) },
          { name: 'Lock all', checked: locked, run: () => change({ locked: !locked }) },
          { name: 'All in the join', checked: inJoin, run: () => change({ inJoin: !inJoin }) },
          { name: 'All in the skin', checked: inSkin, run: () => change({ inSkin: !inSkin }) },
          {
            name: 'Tidy all by itself',
            disabled: free.length === 0,
            run: () => void attempt(() => api.tidyTakes(pieceId, free, null)),
          },
          {
            name: 'Match these as one',
            disabled: !inJoin,
            run: () =>
              void attempt(() => submit({ operation: 'join.match', params: { together: takes.map((t) => t.name) } })),
          },
          { name: 'Put all into the bin', run: () => change({ binned: true }) },
        ]}
      >
        <IconButton className="h-8 w-8 self-start" name={`More of pose “${pose}”`}>
          <Ellipsis size={15} />
        </IconButton>
      </Menu>
    </div>
  )
}
