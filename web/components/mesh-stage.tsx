'use client'
import { useMemo } from 'react'
import { mm, percent } from '@/lib/format'
import { geometry } from '@/lib/geometry'
import { madeOf } from '@/lib/made-of'
import { useDesk } from '@/lib/store'
import type { Layer, StagePin } from '@/stage/stage'
import { Chips } from './chips'
import { DifferenceKey, differenceTint, reachOf } from './compare/difference'
import { EmptyStage } from './empty-stage'
import { StageView } from './stage-view'
import { useDrawData } from './use-draw-data'
import { useColouredData } from './use-coloured-data'
import { useFromTakes } from './use-from-takes'

const CLAY = '#C08A68'
/** What is about to go stands out in madder from clay. */
const CLAY_RGB = [0xc0, 0x8a, 0x68]
const MADDER_RGB = [0x9e, 0x33, 0x40]
const NO_PINS: readonly StagePin[] = []

/** The skin, plain or by how each part of it came to be. */
export function MeshStage() {
  // Undone while it stands here, it is gone a moment before the page takes this stage away.
  const hash = useDesk((d) => d.state.mesh?.shape.hash ?? '')
  const tools = useDesk((d) => d.skinTools)
  const view = useDesk((d) => d.view)
  const tinted = useDesk((d) => d.skinTint)
  const marked = useDesk((d) => d.skinMark)
  const paint = useDesk((d) => d.skinPaint)
  const worked = useDesk((d) => d.skinLive)
  const live = worked?.hash === hash ? worked : null
  const hasTakes = useDesk((d) => madeOf(d.state) !== null)
  const data = useDrawData(hash === '' ? [] : [hash])
  const coloured = useColouredData(hash, (view === 'colour' || view === 'colourSeen') && !live)
  const away = useFromTakes(hash, view === 'fromTakes' && hasTakes && !live)
  const layers = useMemo((): Layer[] => {
    if (live)
      return [
        {
          key: `mesh ${hash}`,
          data: live.data,
          colour: CLAY,
          rows: null,
          showEvidence: view === 'evidence',
          live: { stamp: live.stamp, dirty: live.dirty },
        },
      ]
    if (coloured)
      return [
        {
          key: `coloured ${hash}`,
          data: coloured,
          colour: CLAY,
          rows: null,
          tint: coloured.colours,
          showEvidence: view === 'colourSeen',
        },
      ]
    const d = data.get(hash)
    if (!d) return []
    // Evidence that is looked at is shown whole.
    const plain = view !== 'evidence'
    const over = plain && paint?.hash === hash ? paint.found : away?.found
    const painted = over && over.each.length * 3 === d.positions.length ? over : null
    if (painted)
      return [
        {
          key: `mesh ${hash}`,
          data: d,
          colour: CLAY,
          rows: null,
          tint: differenceTint(painted.each, reachOf(painted)),
        },
      ]
    const tint = withMark(
      plain && tinted?.hash === hash ? tinted.tint : null,
      plain && marked?.hash === hash ? marked.mark : null,
    )
    return [{ key: `mesh ${hash}`, data: d, colour: CLAY, rows: null, showEvidence: view === 'evidence', tint }]
  }, [data, hash, view, tinted, marked, paint, live, away, coloured])
  const plain = data.get(hash)
  const shown = paint?.hash === hash && view !== 'evidence' && !live ? paint : null
  return (
    <div className="relative h-full">
      <StageView
        name="The skin"
        layers={layers}
        pins={tools?.pins ?? NO_PINS}
        plane={tools?.plane ?? null}
        lines={tools?.lines ?? null}
        goTo={tools?.goTo ?? null}
        {...(tools?.onPlane && { onPlane: tools.onPlane })}
        {...(tools?.onPick && { onPick: tools.onPick })}
        overlay={tools?.overlay ?? undefined}
        normalAt={(ray) => geometry(hash).normal(hash, ray.origin, ray.direction)}
      />
      {(plain?.evidence || plain?.colours || hasTakes) && (
        <Chips
          options={[
            ['surface', 'Surface'],
            ...(plain?.colours ? ([['colour', 'Colour']] as const) : []),
            ...(plain?.colourEvidence ? ([['colourSeen', 'Colour seen']] as const) : []),
            ...(plain?.evidence ? ([['evidence', 'Evidence']] as const) : []),
            ...(hasTakes ? ([['fromTakes', 'From the takes']] as const) : []),
          ]}
        />
      )}
      {shown && (
        <DifferenceKey difference={shown.found}>
          <p>
            {shown.said}
            {shown.found.unseenShare > 0 && `; nothing is known of ${percent(shown.found.unseenShare)} of it (grey)`}
          </p>
        </DifferenceKey>
      )}
      {away && !shown && (
        <DifferenceKey difference={away.found}>
          <p>
            {percent(away.found.unseenShare)} of it has no points of the takes near (grey)
            {away.before && `; before: mean ${mm(away.before.meanMm, 3)}, largest ${mm(away.before.maxMm, 2)}`}
          </p>
        </DifferenceKey>
      )}
      {view === 'fromTakes' && hasTakes && !live && !away && !shown && (
        <p
          role="status"
          className="absolute right-14 bottom-3 rounded-md border border-hair bg-card px-2 py-1 text-[13px]"
        >
          Looking how far the takes lie from it…
        </p>
      )}
      {layers.length === 0 && <EmptyStage text="Laying the skin on the stage…" />}
    </div>
  )
}

/** A tint, or plain clay, with marked points over it; null where there is neither. */
function withMark(tint: Uint8Array | null, mark: Uint8Array | null): Uint8Array | null {
  if (!mark) return tint
  const out = tint?.slice() ?? new Uint8Array(mark.length * 3)
  for (let i = 0; i < mark.length; i++)
    if (mark[i] === 1) out.set(MADDER_RGB, i * 3)
    else if (!tint) out.set(CLAY_RGB, i * 3)
  return out
}
