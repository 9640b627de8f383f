'use client'
import { Group, Plain } from '@/components/ui'
import { mm } from '@/lib/format'
import { attempt, submit, useBusy, useDesk } from '@/lib/store'
import type { Hole } from './holes'

const MAX_LISTED = 40

/** Holes one by one: where each is, how long its rim is, and how it is closed. */
export function HoleList({ holes }: { holes: readonly Hole[] }) {
  const busy = useBusy()
  const set = useDesk((d) => d.set)
  if (holes.length === 0) return null
  const close = (hole: Hole, kind: 'curved' | 'flat'): Promise<void> =>
    attempt(() => submit({ operation: 'mend.closeHole', params: { rim: hole.rim, kind } }))
  return (
    <Group title={`Holes, one by one: ${holes.length}`} open={holes.length < 6}>
      <ol className="grid gap-1" aria-label="Holes">
        {holes.slice(0, MAX_LISTED).map((hole, i) => (
          <li
            key={i}
            className="flex items-center gap-2 border-b border-rule pb-1 text-[13px]"
            onPointerEnter={() => set({ holeShown: i })}
            onPointerLeave={() => set({ holeShown: null })}
            onFocus={() => set({ holeShown: i })}
          >
            <span className="figure flex-1">
              {i + 1} · rim {mm(hole.perimeterMm, 1)}
            </span>
            <Plain disabled={busy} aria-label={`Close hole ${i + 1}`} onClick={() => close(hole, 'curved')}>
              Close
            </Plain>
            <Plain disabled={busy} aria-label={`Close hole ${i + 1} flat`} onClick={() => close(hole, 'flat')}>
              Flat
            </Plain>
          </li>
        ))}
      </ol>
      {holes.length > MAX_LISTED && (
        <p className="text-[13px] text-graphite">
          and {holes.length - MAX_LISTED} smaller ones; close those by their rim.
        </p>
      )}
    </Group>
  )
}
