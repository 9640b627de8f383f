'use client'
import { useCallback, useEffect } from 'react'
import { DrawOverlay, type Outlined } from '@/components/draw-overlay'
import { beginStroke, brush, painted } from '@/lib/brushing'
import { aim, choose, chooseAt, prepareHand } from '@/lib/choosing'
import { useDesk } from '@/lib/store'
import type { Stage } from '@/stage/stage'

/** Lies over the takes while a tool chooses points of them. */
export function SelectOverlay({ stage }: { stage: () => Stage | null }) {
  const tool = useDesk((d) => d.tool)
  const choosing = useDesk((d) => d.choosing)
  useEffect(() => {
    if (tool) void prepareHand()
  }, [tool, choosing.across])
  const outline = useCallback<Outlined>(
    (polygon, view) => choose({ kind: 'lasso', polygon, view }, choosing.front),
    [choosing.front],
  )
  if (!tool) return null
  const by = tool === 'plane' || tool === 'part' || tool === 'colour' ? tool : null
  return (
    <DrawOverlay
      key={String(choosing.across)}
      stage={stage}
      tool={by ? 'click' : (tool as Exclude<typeof tool, 'plane' | 'part' | 'colour'>)}
      onAim={(view) => void aim(view)}
      onOutline={outline}
      onClick={(ray) => chooseAt(ray, by!)}
      brush={{ radiusMm: choosing.brushMm, begin: beginStroke, stretch: brush, rest: painted }}
    />
  )
}
