'use client'
import type { Fault } from '@holosoma/core/operations'
import { Group, Plain } from '@/components/ui'
import { mm } from '@/lib/format'
import { attempt, submit, useBusy, useDesk } from '@/lib/store'

const MAX_LISTED = 60
/** Of a fault's size: so far round its middle the surface is taken off with it, and a little at least, mm. */
const REACH = 0.75
const LEAST_MM = 0.2

const WORDS: Readonly<Record<Fault['kind'], string>> = {
  crossing: 'faces cross',
  crowded: 'more than two faces at an edge',
  against: 'faces turned against each other',
  pinched: 'surfaces only touch',
  flat: 'faces without area',
  loose: 'a part by itself',
  spike: 'a spike',
  thin: 'a thin spot',
}

/** Faults one by one: what and where each is, how large; gone to, and taken off by itself. */
export function FaultList({ faults }: { faults: readonly Fault[] }) {
  const busy = useBusy()
  const set = useDesk((d) => d.set)
  if (faults.length === 0) return null
  const takeOff = (fault: Fault): Promise<void> =>
    attempt(() =>
      submit({
        operation: 'mend.cutAway',
        params: {
          region: { kind: 'seeds', seeds: [fault.at], reachMm: Math.max(LEAST_MM, REACH * fault.sizeMm) },
          close: fault.kind !== 'loose',
        },
      }),
    )
  return (
    <Group title={`Faults, place by place: ${faults.length}`} open>
      <ol className="grid max-h-80 gap-1 overflow-y-auto" aria-label="Faults" tabIndex={0}>
        {faults.slice(0, MAX_LISTED).map((fault, i) => (
          <li
            key={i}
            className="flex items-center gap-1.5 border-b border-rule pb-1 text-[13px]"
            onPointerEnter={() => set({ faultShown: i })}
            onPointerLeave={() => set({ faultShown: null })}
            onFocus={() => set({ faultShown: i })}
          >
            <button
              type="button"
              className="min-h-8 flex-1 text-left underline-offset-4 hover:underline"
              aria-label={`Go to fault ${i + 1}: ${WORDS[fault.kind]}`}
              onClick={() => set({ goTo: { at: fault.at, radiusMm: Math.max(LEAST_MM, fault.sizeMm / 2) } })}
            >
              {WORDS[fault.kind]} <span className="figure text-graphite">{mm(fault.sizeMm, 2)}</span>
            </button>
            {fault.kind !== 'thin' && (
              <Plain disabled={busy} aria-label={`Take fault ${i + 1} off`} onClick={() => takeOff(fault)}>
                {fault.kind === 'loose' ? 'Take away' : 'Cut and close'}
              </Plain>
            )}
          </li>
        ))}
      </ol>
      {faults.length > MAX_LISTED && (
        <p className="text-[13px] text-graphite">and {faults.length - MAX_LISTED} more.</p>
      )}
    </Group>
  )
}
