'use client'
import { Group, Plain } from '@/components/ui'
import { mm } from '@/lib/format'
import { madeOf } from '@/lib/made-of'
import { attempt, submit, useBusy, useDesk } from '@/lib/store'
import type { Hole } from './holes'

const MAX_LISTED = 40

/** Holes one by one: where each is, how long its rim is, and how it is closed, or bridged to another. */
export function HoleList({ holes }: { holes: readonly Hole[] }) {
  const busy = useBusy()
  const set = useDesk((d) => d.set)
  const from = useDesk((d) => d.bridgeFrom)
  const hasTakes = useDesk((d) => madeOf(d.state) !== null)
  if (holes.length === 0) return null
  const close = (hole: Hole, kind: 'curved' | 'flat' | 'membrane'): Promise<void> =>
    attempt(() => submit({ operation: 'mend.closeHole', params: { rim: hole.rim, kind } }))
  const bridge = (i: number): void => {
    if (from === null) return set({ bridgeFrom: i })
    set({ bridgeFrom: null })
    if (from !== i)
      void attempt(() =>
        submit({ operation: 'mend.bridgeHoles', params: { first: holes[from].rim, second: holes[i].rim } }),
      )
  }
  return (
    <Group title={`Holes, one by one: ${holes.length}`} open={holes.length < 6}>
      <ol className="grid gap-1" aria-label="Holes">
        {holes.slice(0, MAX_LISTED).map((hole, i) => (
          <li
            key={i}
            className="flex items-center gap-1.5 border-b border-rule pb-1 text-[13px]"
            onPointerEnter={() => set({ holeShown: i })}
            onPointerLeave={() => set({ holeShown: null })}
            onFocus={() => set({ holeShown: i })}
          >
            <button
              type="button"
              className="figure min-h-8 flex-1 truncate text-left underline-offset-4 hover:underline"
              aria-label={`Go to hole ${i + 1}`}
              onClick={() => set({ goTo: { at: hole.middle, radiusMm: hole.radiusMm, facing: hole.facing } })}
            >
              {i + 1} · {mm(hole.perimeterMm, 1)}
            </button>
            <Plain
              disabled={busy}

              aria-label={`Close hole ${i + 1}`}
              onClick={() => close(hole, 'curved')}
            >
              Close
            </Plain>
            <Plain
              disabled={busy}

              aria-label={`Close hole ${i + 1} flat`}
              onClick={() => close(hole, 'flat')}
            >
              Flat
            </Plain>
            {hasTakes && (
              <Plain
                disabled={busy}

                aria-label={`Close hole ${i + 1} as free space allows`}
                onClick={() => close(hole, 'membrane')}
              >
                As seen
              </Plain>
            )}
            {holes.length > 1 && (
              <Plain
                disabled={busy}

                aria-pressed={from === i}
                aria-label={
                  from === null || from === i
                    ? `Bridge hole ${i + 1} to another`
                    : `Bridge hole ${from + 1} to ${i + 1}`
                }
                onClick={() => bridge(i)}
              >
                {from === null ? 'Bridge' : from === i ? 'To which?' : 'To this'}
              </Plain>
            )}
          </li>
        ))}
      </ol>
      <p className="text-[13px] text-graphite">
        Each by the length of its rim.
        {hasTakes && ' “As seen” lays a membrane that stands nowhere a take looked through, or says that none can.'}
      </p>
      {holes.length > MAX_LISTED && (
        <p className="text-[13px] text-graphite">
          and {holes.length - MAX_LISTED} smaller ones; close those by their rim.
        </p>
      )}
    </Group>
  )
}
