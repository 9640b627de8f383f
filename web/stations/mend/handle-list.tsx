'use client'
import { Group, Plain } from '@/components/ui'
import { mm } from '@/lib/format'
import { attempt, submit, useBusy, useDesk } from '@/lib/store'
import type { Handle } from './holes'

/** Handles by loops round them and through them: gone to, and closed along one where they should not be. */
export function HandleList({ handles }: { handles: readonly Handle[] }) {
  const busy = useBusy()
  const set = useDesk((d) => d.set)
  if (handles.length === 0) return null
  return (
    <Group title={`Handles and tunnels: ${handles.length} loops`}>
      <p className="text-[13px] text-graphite">
        A cup’s handle is one, and so is a pin-hole through a thin wall. Each has a loop round it and one through it;
        closed along a loop, the surface has one handle less.
      </p>
      <ol className="grid gap-1" aria-label="Handles">
        {handles.map((handle, i) => (
          <li
            key={i}
            className="flex items-center gap-1.5 border-b border-rule pb-1 text-[13px]"
            onPointerEnter={() => set({ handleShown: i })}
            onPointerLeave={() => set({ handleShown: null })}
            onFocus={() => set({ handleShown: i })}
          >
            <button
              type="button"
              className="figure min-h-8 flex-1 truncate text-left underline-offset-4 hover:underline"
              aria-label={`Go to loop ${i + 1}`}
              // From where one stands: along its axis, a loop round a handle is hidden by what it goes round.
              onClick={() => set({ goTo: { at: handle.middle, radiusMm: handle.radiusMm } })}
            >
              {i + 1} · {mm(handle.lengthMm, 1)} round
            </button>
            <Plain
              disabled={busy}
              aria-label={`Close along loop ${i + 1}`}
              onClick={() => attempt(() => submit({ operation: 'mend.closeHandle', params: { loop: handle.rim } }))}
            >
              Close along it
            </Plain>
          </li>
        ))}
      </ol>
    </Group>
  )
}
