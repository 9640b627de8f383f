'use client'
import { useMemo } from 'react'
import { geometry } from '@/lib/geometry'
import { useDesk } from '@/lib/store'
import type { Layer, StagePin } from '@/stage/stage'
import { Chips } from './chips'
import { EmptyStage } from './empty-stage'
import { StageView } from './stage-view'
import { useDrawData } from './use-draw-data'

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
  const data = useDrawData(hash === '' ? [] : [hash])
  const layers = useMemo((): Layer[] => {
    const d = data.get(hash)
    if (!d) return []
    // Evidence that is looked at is shown whole.
    const plain = view !== 'evidence'
    const tint = withMark(
      plain && tinted?.hash === hash ? tinted.tint : null,
      plain && marked?.hash === hash ? marked.mark : null,
    )
    return [{ key: `mesh ${hash}`, data: d, colour: CLAY, rows: null, showEvidence: view === 'evidence', tint }]
  }, [data, hash, view, tinted, marked])
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
      {layers[0]?.data.evidence && (
        <Chips
          options={[
            ['surface', 'Surface'],
            ['evidence', 'Evidence'],
          ]}
        />
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
