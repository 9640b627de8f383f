'use client'
import type { TakeState } from '@holosoma/engine'
import { Findings } from '@/components/finding'
import { Plain, Primary } from '@/components/ui'
import { api } from '@/lib/api'
import { grouped } from '@/lib/format'
import { openProposals } from '@/lib/tidying'
import { tidyFindings } from './told'
import { STATION_NAMES } from '@/lib/station-names'
import { attempt, submitTidy, useBusy, useDesk } from '@/lib/store'
import { ByHand } from './by-hand'
import { ByItself } from './by-itself'
import { PlaneGroup } from './plane-group'
import { PreviewCard } from './preview-card'
import { RecipeGroup } from './recipe-group'
import { PointsGroups } from './points-groups'
import { TakeGroup } from './take-group'

/** Only the piece remains: what would go is painted first, then cut. */
export function TidyPanel() {
  const state = useDesk((d) => d.state)
  const previews = useDesk((d) => d.previews)
  const selected = useDesk((d) => d.selectedTake)
  const set = useDesk((d) => d.set)
  const busy = useBusy()
  const clouds = state.takes.filter((t) => t.shape?.kind === 'cloud')
  const current = state.takes.find((t) => t.id === selected && t.shape) ?? state.takes.find((t) => t.shape)
  const untidied = clouds.filter((t) => !t.locked && openProposals(state, t).length > 0)
  const kept = clouds.filter((t) => t.keepBase)
  const findings = current ? tidyFindings(state, current) : []
  const standing = previews.filter((p) => state.takes.some((t) => t.id === p.takeId && t.shape?.hash === p.shapeHash))
  const joined = !!state.join && !state.join.stale
  const tidy = (takes: readonly TakeState[]): Promise<void> =>
    attempt(async () => {
      await submitTidy(
        takes.map((t) => t.id),
        null,
      )
      set({ previews: [], plane: null })
    })
  const on = state.takes.filter((t) => t.shape).length > 1 ? ('join' as const) : ('skin' as const)
  const freeBases = kept.filter((t) => !t.locked)
  return (
    <>
      <h2 className="mb-2 font-caption text-[21px] leading-tight font-semibold">Is only the piece left?</h2>
      {!current && <p className="font-caption text-[16px]">There is no take to tidy yet.</p>}
      {standing.length > 0 ? (
        <PreviewCard previews={standing} />
      ) : (
        current && (
          <>
            {findings.length > 0 ? (
              <Findings findings={findings} />
            ) : (
              <p className="font-caption text-[16px]">
                “{current.name}” is as it was taken: {grouped(current.shape!.points)} points.
              </p>
            )}
            <div className="mt-3 grid gap-2">
              {untidied.length > 0 ? (
                <Primary disabled={busy} onClick={() => tidy(untidied)}>
                  Tidy{' '}
                  {untidied.length === 1
                    ? `“${untidied[0].name}”`
                    : untidied.length === 2
                      ? 'both takes'
                      : `all ${untidied.length} takes`}
                </Primary>
              ) : joined && freeBases.length > 0 ? (
                <Primary disabled={busy} onClick={() => cutBases(freeBases)}>
                  Cut the base off {freeBases.length === 1 ? `“${freeBases[0].name}”` : `${freeBases.length} takes`} now
                </Primary>
              ) : (
                <Primary disabled={busy} onClick={() => set({ station: on })}>
                  Go on to {STATION_NAMES[on]}
                </Primary>
              )}
            </div>
          </>
        )
      )}
      {current?.shape?.kind === 'cloud' && (
        <div className="mt-3">
          <ByItself take={current} />
          <ByHand take={current} />
          <PlaneGroup take={current} />
          <PointsGroups take={current} />
          <RecipeGroup take={current} />
          <TakeGroup key={current.id} take={current} />
          {current.locked && (
            <p className="text-[13px] text-graphite">“{current.name}” is locked; nothing can change it.</p>
          )}
        </div>
      )}
      {state.bench && (
        <p className="mt-2 flex items-center gap-2 border-t border-rule pt-2 text-[13px]">
          <span className="flex-1">“{state.bench.name}” shows the empty bench.</span>
          <Plain onClick={() => attempt(() => api.updateTake(state.bench!.id, { bench: false }))}>
            Back among the takes
          </Plain>
        </p>
      )}
    </>
  )
}

/** The joining is done: what helped it goes now. */
function cutBases(takes: readonly TakeState[]): Promise<void> {
  return attempt(async () => {
    for (const t of takes) await api.updateTake(t.id, { keepBase: false })
    await submitTidy(
      takes.map((t) => t.id),
      null,
    )
  })
}
