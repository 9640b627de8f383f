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
const NO_PINS: readonly StagePin[] = []

/** The skin, plain or by how each part of it came to be. */
export function MeshStage() {
  // Undone while it stands here, it is gone a moment before the page takes this stage away.
  const hash = useDesk((d) => d.state.mesh?.shape.hash ?? '')
  const tools = useDesk((d) => d.skinTools)
  const view = useDesk((d) => d.view)
  const tinted = useDesk((d) => d.skinTint)
  const data = useDrawData(hash === '' ? [] : [hash])
  const layers = useMemo((): Layer[] => {
    const d = data.get(hash)
    if (!d) return []
    // Evidence that is looked at is shown whole.
    const tint = tinted?.hash === hash && view !== 'evidence' ? tinted.tint : null
    return [{ key: `mesh ${hash}`, data: d, colour: CLAY, rows: null, showEvidence: view === 'evidence', tint }]
  }, [data, hash, view, tinted])
  return (
    <div className="relative h-full">
      <StageView
        name="The skin"
        layers={layers}
        pins={tools?.pins ?? NO_PINS}
        plane={tools?.plane ?? null}
        {...(tools?.onPlane && { onPlane: tools.onPlane })}
        {...(tools?.onPick && { onPick: tools.onPick })}
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
