'use client'
import { Choice, NumberField } from '@/components/ui'
import type { Typed } from './fineness'

const KINDS = [
  ['even', 'Even, edges of one spacing'],
  ['flat', 'Larger where it is flat'],
  ['count', 'So many of them'],
  ['dense', 'All of the grid’s'],
] as const

/** The two fields that say how fine: which kind of triangles, and their spacing or number. */
export function FinenessFields({ typed, onChange }: { typed: Typed; onChange: (change: Partial<Typed>) => void }) {
  return (
    <>
      <label className="grid gap-1 text-[13px]">
        Triangles
        <Choice label="Triangles" value={typed.kind} options={KINDS} onChange={(kind) => onChange({ kind })} />
      </label>
      {typed.kind === 'count' ? (
        <NumberField label="How many" value={typed.count} onChange={(e) => onChange({ count: e.target.value })} />
      ) : (
        <NumberField
          label="Spacing"
          unit="mm"
          value={typed.spacing}
          onChange={(e) => onChange({ spacing: e.target.value })}
        />
      )}
    </>
  )
}
