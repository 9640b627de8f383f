'use client'
import { Search } from 'lucide-react'
import { WHOLE_SHELF, type ShelfChoice, type ShelfOrder } from '@/lib/shelf'
import { STATION_NAMES, STATIONS, type Station } from '@/lib/station-names'
import { Choice, Plain } from './ui'

const ORDERS: readonly (readonly [ShelfOrder, string])[] = [
  ['changed', 'changed last'],
  ['name', 'by name'],
  ['number', 'by number'],
  ['verdict', 'the worst first'],
  ['station', 'by station'],
]
const VERDICTS: readonly (readonly [ShelfChoice['verdict'], string])[] = [
  ['any', 'any verdict'],
  ['unsound', 'unsound'],
  ['doubtful', 'doubtful'],
  ['sound', 'sound'],
]

/** Finds pieces on a full shelf, and puts them in order. */
export function ShelfFilter({
  choice,
  onChange,
  found,
}: {
  choice: ShelfChoice
  onChange: (choice: ShelfChoice) => void
  found: number
}) {
  const set = (change: Partial<ShelfChoice>): void => onChange({ ...choice, ...change })
  const narrowed = choice.words !== '' || choice.station !== 'any' || choice.verdict !== 'any'
  return (
    <div role="search" className="mb-3.5 flex flex-wrap items-center gap-2 text-[13px]">
      <label className="flex h-8 items-center gap-1.5 rounded-md border border-hair bg-field px-2 focus-within:border-graphite">
        <Search size={14} aria-hidden="true" className="text-graphite" />
        <input
          type="search"
          aria-label="Find a piece"
          placeholder="Name or number"
          value={choice.words}
          onChange={(e) => set({ words: e.target.value })}
          className="w-48 outline-none"
        />
      </label>
      <Choice
        label="Waits at"
        value={choice.station}
        options={[
          ['any', 'any station'] as const,
          ...STATIONS.map((s): readonly [Station, string] => [s, `waits at ${STATION_NAMES[s]}`]),
        ]}
        onChange={(station) => set({ station })}
      />
      <Choice label="Verdict" value={choice.verdict} options={VERDICTS} onChange={(verdict) => set({ verdict })} />
      <Choice label="Order" value={choice.order} options={ORDERS} onChange={(order) => set({ order })} />
      <span role="status" className="text-graphite">
        {narrowed ? `${found} found` : ''}
      </span>
      {narrowed && <Plain onClick={() => onChange({ ...WHOLE_SHELF, order: choice.order })}>All of them</Plain>}
    </div>
  )
}
