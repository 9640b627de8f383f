'use client'
import { useState } from 'react'
import { Choice, Group, NumberField, Plain, positiveNumber } from '@/components/ui'
import { attempt, submit, useBusy } from '@/lib/store'

const WAYS = [
  ['kept', 'kept as they are'],
  ['true', 'laid true, flats and rounds'],
  ['rounded', 'rounded with the rest'],
] as const

/** Noise of the whole surface: how far it may be moved to take it off, and what becomes of edges. */
export function NoiseGroup() {
  const [cap, setCap] = useState('')
  const [edges, setEdges] = useState<'kept' | 'true' | 'rounded'>('kept')
  const busy = useBusy()
  const take = (): Promise<void> =>
    attempt(async () => {
      const capMm = positiveNumber(cap)
      if (capMm === null) throw new Error('Say how far the surface may move at most.')
      await submit({ operation: 'mend.denoise', params: { capMm, edges } })
    })
  return (
    <Group title="Noise of the whole">
      <NumberField label="No point moves farther than" unit="mm" value={cap} onChange={(e) => setCap(e.target.value)} />
      <label className="flex items-center gap-1.5 text-[13px]">
        Edges are
        <Choice value={edges} options={WAYS} onChange={setEdges} />
      </label>
      <Plain disabled={busy} onClick={take}>
        Take noise off
      </Plain>
      <p className="text-[13px] text-graphite">
        What moves is no longer measured but carried. The ledger tells the noise before and after, and how far points
        moved; undo brings the surface back.
      </p>
    </Group>
  )
}
