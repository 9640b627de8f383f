'use client'
import { useState } from 'react'
import type { TakeState } from '@holosoma/engine'
import { Group, Plain, Tick } from '@/components/ui'
import { api } from '@/lib/api'
import { pigmentOf, PIGMENTS } from '@/lib/pigments'
import { plannedOf } from '@/lib/chain'
import { attempt, submit, useBusy, useDesk } from '@/lib/store'

/** What is done to a take as a whole. */
export function TakeGroup({ take }: { take: TakeState }) {
  const pieceId = useDesk((d) => d.state.piece.id)
  const solo = useDesk((d) => d.solo)
  const set = useDesk((d) => d.set)
  const busy = useBusy()
  const planned = plannedOf(
    useDesk((d) => d.state),
    take.id,
  )
  const [name, setName] = useState(take.name)
  const rename = (): Promise<void> =>
    attempt(async () => {
      if (name.trim() === '') throw new Error('A take needs a name.')
      await api.updateTake(take.id, { name: name.trim(), was: take.name })
    })
  return (
    <Group title="This take">
      <form
        className="flex gap-2"
        onSubmit={(e) => {
          e.preventDefault()
          void rename()
        }}
      >
        <input
          aria-label="Name of the take"
          value={name}
          maxLength={100}
          onChange={(e) => setName(e.target.value)}
          className="h-8 min-w-0 flex-1 rounded-md border border-hair bg-field px-2 text-[13px]"
        />
        <Plain type="submit" disabled={name.trim() === take.name || take.locked}>
          Rename
        </Plain>
      </form>
      <div role="radiogroup" aria-label="Colour of the take" className="flex flex-wrap gap-1">
        {PIGMENTS.map(([word, colour], i) => (
          <button
            key={word}
            type="button"
            role="radio"
            aria-checked={pigmentOf(take).name === word}
            aria-label={word}
            title={word}
            onClick={() => attempt(() => api.updateTake(take.id, { pigment: i }))}
            className={`h-8 w-8 rounded-md border-[3px] ${pigmentOf(take).name === word ? 'border-ink' : 'border-transparent'}`}
            style={{ background: colour }}
          />
        ))}
      </div>
      <Tick
        checked={take.keepBase}
        disabled={take.locked}
        onChange={(v) => attempt(() => api.updateTake(take.id, { keepBase: v }))}
        className="items-start"
      >
        Base and piece move together: these points help joining, cut the base afterwards
      </Tick>
      <div className="grid grid-cols-2 gap-2">
        <Plain onClick={() => set({ solo: solo === take.id ? null : take.id })} aria-pressed={solo === take.id}>
          {solo === take.id ? 'Show the others again' : 'Show it alone'}
        </Plain>
        <Plain onClick={() => attempt(() => api.duplicateTake(pieceId, take.id))} disabled={busy}>
          Double it
        </Plain>
      </div>
      {planned && (
        <Plain
          disabled={busy}
          onClick={() =>
            attempt(() =>
              submit({
                operation: 'take.simulate',
                params: { take: planned, emptyBench: true },
                takeName: 'empty bench',
                pose: 'empty bench',
              }),
            )
          }
        >
          Take the empty bench at the simulated bench
        </Plain>
      )}
      <Plain
        disabled={busy || take.fixed || take.locked}
        title={take.fixed ? 'The fixed take can not be the empty bench' : undefined}
        onClick={() => attempt(() => api.updateTake(take.id, { bench: true }))}
      >
        It shows the empty bench
      </Plain>
    </Group>
  )
}
