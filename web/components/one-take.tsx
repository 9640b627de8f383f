'use client'
import { useMemo } from 'react'
import { pigmentOf } from '@/lib/pigments'
import { useDesk } from '@/lib/store'
import type { Layer } from '@/stage/stage'
import { EmptyStage } from './empty-stage'
import { StageView } from './stage-view'
import { useDrawData } from './use-draw-data'

/** The chosen take alone, or the first one. */
export function OneTake() {
  const state = useDesk((d) => d.state)
  const selected = useDesk((d) => d.selectedTake)
  const takes = state.takes.filter((t) => t.shape)
  const take = takes.find((t) => t.id === selected) ?? takes[0]
  const data = useDrawData(take?.shape ? [take.shape.hash] : [])
  const layers = useMemo((): Layer[] => {
    const d = take?.shape && data.get(take.shape.hash)
    if (!take || !d || take.hidden) return []
    return [{ key: `take ${take.id} ${take.shape.kind}`, data: d, colour: pigmentOf(take).colour, rows: null }]
  }, [take, data])
  return (
    <div className="relative h-full">
      <StageView name={take ? `Take ${take.name}` : 'Empty stage'} layers={layers} />
      {!take && (
        <EmptyStage
          text={
            state.piece.benchPiece
              ? 'The bench is empty. Take the piece, or drop scan files here.'
              : 'Drop scan files here.'
          }
        />
      )}
      {take?.shape && layers.length === 0 && (
        <EmptyStage text={take.hidden ? `“${take.name}” is hidden.` : 'Laying it on the stage…'} />
      )}
    </div>
  )
}
