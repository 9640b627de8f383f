'use client'
import { useEffect, useMemo, useState } from 'react'
import { detailsOf } from '@holosoma/core/operations'
import { GAP_MARKS } from '@holosoma/core/plan'
import type { StepRecord } from '@holosoma/engine'
import { Chips } from '@/components/chips'
import { EmptyStage } from '@/components/empty-stage'
import { OneTake } from '@/components/one-take'
import { PaintKey } from '@/components/paint-key'
import { StageView } from '@/components/stage-view'
import { useDrawData } from '@/components/use-draw-data'
import { useDesk, type View } from '@/lib/store'
import type { Layer, StagePin } from '@/stage/stage'
import { LiveStage } from './live-stage'

/** The takes as they came, what the device sees just now, or what is missing of the whole. */
export function TakeStage() {
  const any = useDesk((d) => d.state.takes.some((t) => t.shape))
  const check = useDesk((d) => d.state.check)
  const bench = useDesk((d) => d.state.piece.benchPiece !== null)
  const view = useDesk((d) => d.view)
  const options: [View, string][] = any ? [['takes', 'Takes']] : []
  if (bench) options.push(['bench', 'At the bench'])
  if (check) options.push(['missing', 'What is missing'])
  const shown = options.some(([v]) => v === view) ? view : options[0]?.[0]
  return (
    <div className="relative h-full">
      {shown === 'missing' ? (
        <MissingStage step={check!.step} stale={check!.stale} />
      ) : shown === 'bench' ? (
        <LiveStage />
      ) : (
        <OneTake />
      )}
      {options.length > 1 && <Chips options={options} />}
    </div>
  )
}

function MissingStage({ step, stale }: { step: StepRecord; stale: boolean }) {
  const estimate = step.outputs.estimate
  const data = useDrawData([estimate])
  const [classes, setClasses] = useState<Uint8Array | null>(null)
  useEffect(() => {
    let current = true
    void fetch(`/api/shapes/${step.outputs.classes}`).then(
      async (r) => {
        const values = new Float32Array(await r.arrayBuffer())
        if (current) setClasses(Uint8Array.from(values))
      },
      () => undefined,
    )
    return () => {
      current = false
    }
  }, [step.outputs.classes])
  const layers = useMemo((): Layer[] => {
    const d = data.get(estimate)
    return d && classes && classes.length * 9 === d.positions.length
      ? [
          {
            key: `missing ${estimate}`,
            data: d,
            colour: '#C9C0AE',
            rows: null,
            paint: { mode: 'seen', values: classes },
          },
        ]
      : []
  }, [data, estimate, classes])
  const pins = useMemo(
    (): StagePin[] =>
      (detailsOf(step, 'take.complete')?.gaps ?? []).map((g, i) => ({
        at: g.at,
        text: GAP_MARKS[i],
        colour: g.matters ? '#23272B' : '#7F7864',
      })),
    [step],
  )
  return (
    <>
      <StageView name="What is missing of the whole" layers={layers} pins={pins} />
      <PaintKey />
      {stale && (
        <p className="absolute bottom-12 left-1/2 -translate-x-1/2 rounded-md border border-hair bg-card px-3 py-1 text-[13px] text-graphite">
          Takes have changed since; look again.
        </p>
      )}
      {layers.length === 0 && <EmptyStage text="Laying it on the stage…" />}
    </>
  )
}
