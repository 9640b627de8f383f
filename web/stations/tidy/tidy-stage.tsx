'use client'
import { useEffect, useMemo } from 'react'
import type { TakeState } from '@holosoma/engine'
import { EmptyStage } from '@/components/empty-stage'
import { SelectOverlay } from './select-overlay'
import { StageView } from '@/components/stage-view'
import { useDrawData } from '@/components/use-draw-data'
import { placeUnder } from '@/lib/choosing'
import { addPlanePoint, middleOf, showPlane } from '@/lib/cut-plane'
import { rowsOf, shownTakes, takeInHand } from '@/lib/on-stage'
import { pigmentOf } from '@/lib/pigments'
import { attempt, attemptInTurn, useDesk } from '@/lib/store'
import type { Layer, Ray, StagePin } from '@/stage/stage'

/** The take in the hand, or all that show, with what would go painted on. */
export function TidyStage() {
  const state = useDesk((d) => d.state)
  const selected = useDesk((d) => d.selectedTake)
  const across = useDesk((d) => d.choosing.across)
  const solo = useDesk((d) => d.solo)
  const tool = useDesk((d) => d.tool)
  const previews = useDesk((d) => d.previews)
  const plane = useDesk((d) => d.plane)
  const planePoints = useDesk((d) => d.planePoints)
  const takes = useMemo(
    () => (across ? shownTakes() : [takeInHand()].filter((t): t is TakeState => t !== undefined && !t.hidden)),
    // eslint-disable-next-line react-hooks/exhaustive-deps -- these are what the desk's answer depends on
    [state, selected, across, solo],
  )
  const data = useDrawData(takes.map((t) => t.shape!.hash))
  const layers = useMemo(
    (): Layer[] =>
      takes.flatMap((t) => {
        const d = data.get(t.shape!.hash)
        if (!d) return []
        const cut = previews.find((p) => p.takeId === t.id && p.shapeHash === t.shape!.hash)
        return [
          {
            key: `take ${t.id} ${t.shape!.kind}`,
            data: d,
            colour: pigmentOf(t).colour,
            rows: rowsOf(t),
            mark: cut?.mark ?? null,
            markStamp: cut?.stamp,
          },
        ]
      }),
    [takes, data, previews],
  )
  const pins = useMemo(
    (): StagePin[] => (planePoints ?? []).map((at, i) => ({ at, text: String(i + 1), colour: '#23272B' })),
    [planePoints],
  )
  const held = takeInHand()
  const pickPlane = (ray: Ray): Promise<void> =>
    attemptInTurn(async () => addPlanePoint(await placeUnder(ray), middleOf(takeInHand()!)))
  const workable = takes.some((t) => t.shape!.kind === 'cloud')
  // Takes that change under a plane are looked at anew.
  const shapes = takes.map((t) => t.shape!.hash).join()
  useEffect(() => {
    const standing = useDesk.getState().plane
    if (standing) void attempt(() => showPlane(standing))
  }, [shapes])
  return (
    <div className="relative h-full">
      <StageView
        name={across ? 'All takes that show' : held ? `Take ${held.name}` : 'Empty stage'}
        layers={layers}
        pins={pins}
        plane={plane}
        onPlane={(p) => void attempt(() => showPlane({ ...p, from: 'by its handle' }))}
        {...(planePoints && { onPick: pickPlane })}
        overlay={tool && workable && !planePoints ? (stage) => <SelectOverlay stage={stage} /> : undefined}
      />
      {!held && <EmptyStage text="Drop scan files here." />}
      {held && layers.length === 0 && (
        <EmptyStage
          text={
            takes.length === 0 ? (across ? 'No take shows.' : `“${held.name}” is hidden.`) : 'Laying it on the stage…'
          }
        />
      )}
      {across && layers.length > 1 && !layers.some((l) => l.rows) && (
        <p className="pointer-events-none absolute bottom-12 left-1/2 -translate-x-1/2 rounded-md border border-hair bg-card px-3 py-1 text-[13px] text-graphite">
          The takes are not joined yet: each lies as it was taken.
        </p>
      )}
    </div>
  )
}
