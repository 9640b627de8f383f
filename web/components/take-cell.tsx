'use client'
import { Anchor, Ellipsis, Eye, EyeOff, Lock, LockOpen } from 'lucide-react'
import { useState } from 'react'
import type { TakeState } from '@holosoma/engine'
import { api } from '@/lib/api'
import { percent, short } from '@/lib/format'
import { pigmentOf } from '@/lib/pigments'
import { attempt, useDesk } from '@/lib/store'
import { Thumbnail } from './thumbnail'
import { IconButton, Menu, TextDialog } from './ui'

/** A take on the contact sheet: what it is, whether it shows, and whether it goes in. */
export function TakeCell({
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
  const [writing, setWriting] = useState(false)
  const hidden = solo === null ? take.hidden : solo !== take.id
  const change = (to: Parameters<typeof api.updateTake>[1]): Promise<void> => attempt(() => api.updateTake(take.id, to))
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
        aria-label={`Take ${take.ordinal}, ${take.name}${leftOut(take) ? `, ${leftOut(take)}` : ''}`}
      >
        <Thumbnail hash={take.shape?.hash ?? null} colour={colour} width={96} height={84} />
        <span className="block w-[104px]">
          <span className="flex items-center gap-1.5 font-semibold" title={take.name}>
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
              : (leftOut(take) ??
                (take.fixed ? 'fixed' : pair ? `${pair.p95Mm.toFixed(2)} mm, ${percent(pair.overlap, 0)}` : take.pose))}
          </span>
        </span>
      </button>
      <div className="grid grid-cols-2">
        <IconButton
          className="h-8 w-8"
          name={take.hidden ? 'Show' : 'Hide'}
          onClick={() => change({ hidden: !take.hidden })}
        >
          {take.hidden ? <EyeOff size={15} /> : <Eye size={15} />}
        </IconButton>
        <IconButton
          className="h-8 w-8"
          name={take.locked ? 'Unlock' : 'Lock: nothing can change it'}
          onClick={() => change({ locked: !take.locked })}
        >
          {take.locked ? <Lock size={15} /> : <LockOpen size={15} />}
        </IconButton>
        <IconButton
          className={`h-8 w-8 ${take.fixed ? 'text-ink' : ''}`}
          name={take.fixed ? 'The fixed take: others move to it' : 'Make this the fixed take'}
          disabled={take.fixed}
          onClick={() => change({ fixed: true })}
        >
          <Anchor size={15} strokeWidth={take.fixed ? 2.6 : 1.6} />
        </IconButton>
        <Menu
          items={[
            { name: 'In the join', checked: take.inJoin, run: () => void change({ inJoin: !take.inJoin }) },
            { name: 'In the skin', checked: take.inSkin, run: () => void change({ inSkin: !take.inSkin }) },
            { name: 'Name and pose…', run: () => setWriting(true) },
            { name: 'Put into the bin', run: () => void change({ binned: true }) },
          ]}
        >
          <IconButton className="h-8 w-8" name={`More of “${take.name}”`}>
            <Ellipsis size={15} />
          </IconButton>
        </Menu>
      </div>
      {writing && (
        <TextDialog
          title="This take"
          verb="Write it down"
          fields={FIELDS}
          given={take}
          onDone={() => setWriting(false)}
          onWrite={({ name: to, pose }) => api.updateTake(take.id, { name: to, was: take.name, pose })}
        />
      )}
    </div>
  )
}

const FIELDS = [
  { name: 'name', label: 'Name', most: 100, required: true },
  { name: 'pose', label: 'Pose', most: 80 },
] as const

/** What a take is left out of; undefined where it goes in wherever it has a place. */
const leftOut = ({ inJoin, inSkin }: TakeState): string | undefined =>
  inJoin ? (inSkin ? undefined : 'not in the skin') : inSkin ? 'not in the join' : 'left out'
