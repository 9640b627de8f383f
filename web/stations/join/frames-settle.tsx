'use client'
import type { TakeState } from '@holosoma/engine'
import { Plain, Told } from '@/components/ui'
import { chainOf, frameCount } from '@/lib/chain'
import { attempt, submit, useBusy, useDesk } from '@/lib/store'

const OPERATION = 'take.settleFrames'

/**
 * Frames of all joined takes matched with each other; each take that knows its frames comes out as a step of its own.
 */
export function FramesSettle({ takes }: { takes: readonly TakeState[] }) {
  const state = useDesk((d) => d.state)
  const busy = useBusy()
  const free = takes.filter((t) => !t.locked && frameCount(state, t.id) > 1)
  const told = takes.flatMap((t) => {
    const last = chainOf(state, `take:${t.id}`).at(-1)
    return last?.operation === OPERATION ? last.findings.map((f) => ({ ...f, take: t })) : []
  })
  return (
    <div className="grid gap-2">
      <p className="text-[13px] text-graphite">
        Each take has placed its own frames. Matched with the frames of the other takes, a slip shows that a take alone
        cannot see. Frames that fit already stay where they are.
      </p>
      {told.map((f) => (
        <Told key={f.take.id} verdict={f.verdict}>
          {f.take.name}: {f.text}
        </Told>
      ))}
      {free.length === 0 ? (
        <p className="text-[13px] text-graphite">No take here knows its frames and is unlocked.</p>
      ) : (
        <Plain
          disabled={busy || state.join?.stale}
          onClick={() => attempt(() => submit({ operation: OPERATION, params: {} }))}
        >
          Match the frames of {free.length === takes.length ? 'all takes' : free.map((t) => `“${t.name}”`).join(', ')}
        </Plain>
      )}
    </div>
  )
}
