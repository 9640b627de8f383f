'use client'
import type { TakeState } from '@holosoma/engine'
import { Group, Plain } from '@/components/ui'
import { ACT_NAMES, recipeOf } from '@/lib/tidying'
import { attempt, submitTidy, useBusy, useDesk } from '@/lib/store'

/** The tidy acts of this take, done to others. */
export function RecipeGroup({ take }: { take: TakeState }) {
  const state = useDesk((d) => d.state)
  const set = useDesk((d) => d.set)
  const busy = useBusy()
  const steps = recipeOf(state, take)
  const others = state.takes.filter((t) => t !== take && t.shape?.kind === 'cloud' && !t.locked)
  const run = (ids: readonly number[]): Promise<void> =>
    attempt(async () => {
      await submitTidy(ids, steps)
      set({ previews: [], plane: null })
    })
  return (
    <Group title="Do the same to other takes">
      {steps.length === 0 ? (
        <p className="text-[13px] text-graphite">
          “{take.name}” has no tidy act yet that could be done to another take.
        </p>
      ) : (
        <>
          <ol className="list-decimal pl-5 text-[13px]" aria-label="Recipe">
            {steps.map((s, i) => (
              <li key={i}>{ACT_NAMES[s.operation] ?? s.operation}</li>
            ))}
          </ol>
          {others.length === 0 && (
            <p className="text-[13px] text-graphite">There is no other take that is not locked.</p>
          )}
          {others.map((t) => (
            <Plain key={t.id} disabled={busy} onClick={() => run([t.id])}>
              Do them to “{t.name}”
            </Plain>
          ))}
          {others.length > 1 && (
            <Plain disabled={busy} onClick={() => run(others.map((t) => t.id))}>
              Do them to all {others.length} others
            </Plain>
          )}
        </>
      )}
    </Group>
  )
}
