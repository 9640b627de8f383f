'use client'
import { useState } from 'react'
import { Choice, Group, NumberField, Plain, positiveNumber } from '@/components/ui'
import { attempt, submit, useBusy, useDesk } from '@/lib/store'
import type { Hole } from './holes'
import { RimChart } from './rim-chart'

const KINDS = [
  ['curved', 'following the curve'],
  ['flat', 'flat'],
] as const

/** Holes by the length of their rims: up to where they are closed, and how. */
export function RimsGroup({ holes }: { holes: readonly Hole[] }) {
  const typed = useDesk((d) => d.rimLimitMm)
  const set = useDesk((d) => d.set)
  const busy = useBusy()
  const [kind, setKind] = useState<'curved' | 'flat'>('curved')
  const limit = positiveNumber(typed)
  const longest = holes[0]?.perimeterMm ?? 0
  const upTo = limit ?? longest
  const chosen = holes.filter((h) => h.perimeterMm <= upTo * (1 + 1e-9)).length
  return (
    <Group title="Holes up to a rim">
      {holes.length > 1 && (
        <RimChart
          holes={holes}
          limitMm={upTo}
          onLimit={(mm) => set({ rimLimitMm: mm >= longest ? '' : mm.toPrecision(4) })}
          onHold={(rimsShown) => set({ rimsShown })}
        />
      )}
      <NumberField
        label="Longest rim to close"
        unit="mm"
        placeholder="all"
        value={typed}
        onChange={(e) => set({ rimLimitMm: e.target.value })}
        onFocus={() => set({ rimsShown: true })}
        onBlur={() => set({ rimsShown: false })}
      />
      <label className="flex items-center gap-1.5 text-[13px]">
        Closed
        <Choice value={kind} options={KINDS} onChange={setKind} />
      </label>
      <Plain
        disabled={busy}
        onClick={() => attempt(() => submit({ operation: 'mend.closeHoles', params: { perimeterMm: limit, kind } }))}
      >
        {holes.length > 1 ? `Close ${chosen} of ${holes.length}` : 'Close them'}
      </Plain>
      <p className="text-[13px] text-graphite">
        What is closed counts as invented, and never crosses the surface. A large unseen part is better taken again.
      </p>
    </Group>
  )
}
