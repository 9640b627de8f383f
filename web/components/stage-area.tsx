'use client'
import { detailsOf } from '@holosoma/core/operations/details'
import { useEffect, useMemo, useState } from 'react'
import { GAP_MARKS } from '@holosoma/core/plan/findings'
import type { StepRecord, TakeState } from '@holosoma/engine'
import { PaintKey } from '@/stations/plan/paint-key'
import { geometry } from '@/lib/geometry'
import { pigmentOf } from '@/lib/pigments'
import { TidyStage } from '@/stations/tidy/tidy-stage'
import { PickStages } from '@/stations/join/pick-stages'
import { JoinedStage } from '@/stations/join/joined-stage'
import { attemptInTurn, useDesk, type View } from '@/lib/store'
import type { Layer, Ray, StagePin } from '@/stage/stage'
import { Chips } from './chips'
import { LiveStage } from './live-stage'
import { EmptyStage } from './empty-stage'
import { StageView } from './stage-view'
import { useDrawData } from './use-draw-data'

const CLAY = '#C08A68'

/** What stands on the stage follows from the station: one take, two to pick on, all joined, or the skin. */
export function StageArea() {
  const state = useDesk((d) => d.state)
  const station = useDesk((d) => d.station)
  const picking = useDesk((d) => d.picking)
  const takes = state.takes.filter((t) => t.shape)
  if (station === 'join' && takes.length >= 2 && (picking || !state.join)) return <PickStages takes={takes} />
  if (station !== 'take' && station !== 'tidy' && station !== 'join' && state.mesh) return <MeshStage />
  if ((station === 'join' || station === 'skin') && state.join) return <JoinedStage takes={takes} />
  if (station === 'tidy') return <TidyStage />
  return station === 'take' ? <TakeStage takes={takes} /> : <OneTake takes={takes} />
}

/** The takes as they came, what the device sees just now, or what is missing of the whole. */
function TakeStage({ takes }: { takes: readonly TakeState[] }) {
  const check = useDesk((d) => d.state.check)
  const bench = useDesk((d) => d.state.piece.benchPiece !== null)
  const view = useDesk((d) => d.view)
  const options: [View, string][] = takes.length > 0 ? [['takes', 'Takes']] : []
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
        <OneTake takes={takes} />
      )}
      {options.length > 1 && <Chips options={options} />}
    </div>
  )
}

function MissingStage({ step, stale }: { step: StepRecord; stale: boolean }) {
  const estimate = step.outputs.estimate!
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
        text: GAP_MARKS[i]!,
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

function OneTake({ takes }: { takes: readonly TakeState[] }) {
  const selected = useDesk((d) => d.selectedTake)
  const bench = useDesk((d) => d.state.piece.benchPiece)
  const take = takes.find((t) => t.id === selected) ?? takes[0]
  const data = useDrawData(take?.shape ? [take.shape.hash] : [])
  const layers = useMemo((): Layer[] => {
    const d = take?.shape && data.get(take.shape.hash)
    if (!take || !d || take.hidden) return []
    return [{ key: `take ${take.id} ${take.shape!.kind}`, data: d, colour: pigmentOf(take).colour, rows: null }]
  }, [take, data])
  return (
    <div className="relative h-full">
      <StageView name={take ? `Take ${take.name}` : 'Empty stage'} layers={layers} />
      {!take && (
        <EmptyStage
          text={bench ? 'The bench is empty. Take the piece, or drop scan files here.' : 'Drop scan files here.'}
        />
      )}
      {take?.shape && layers.length === 0 && (
        <EmptyStage text={take.hidden ? `“${take.name}” is hidden.` : 'Laying it on the stage…'} />
      )}
    </div>
  )
}

function MeshStage() {
  const mesh = useDesk((d) => d.state.mesh)!
  const view = useDesk((d) => d.view)
  const station = useDesk((d) => d.station)
  const sizing = useDesk((d) => d.sizing)
  const points = useDesk((d) => d.sizePoints)
  const set = useDesk((d) => d.set)
  const data = useDrawData([mesh.shape.hash])
  const layers = useMemo((): Layer[] => {
    const d = data.get(mesh.shape.hash)
    return d
      ? [{ key: `mesh ${mesh.shape.hash}`, data: d, colour: CLAY, rows: null, showEvidence: view === 'evidence' }]
      : []
  }, [data, mesh.shape.hash, view])
  const pins = useMemo(
    (): StagePin[] =>
      station === 'size' ? points.map((p, i) => ({ at: p.at, text: i === 0 ? 'A' : 'B', colour: '#23272B' })) : [],
    [points, station],
  )
  const pick = (ray: Ray): Promise<void> =>
    attemptInTurn(async () => {
      const hit = await geometry(mesh.shape.hash).pick(mesh.shape.hash, ray.origin, ray.direction, ray.radiusMm)
      if (!hit) throw new Error('There is no surface under the click; click on the piece itself.')
      const now = useDesk.getState().sizePoints
      const next = [...now, { at: hit.at }].slice(-2)
      set({ sizePoints: next, sizing: next.length < 2 })
    })
  const evidence = layers[0]?.data.evidence
  return (
    <div className="relative h-full">
      <StageView name="The skin" layers={layers} pins={pins} {...(station === 'size' && sizing && { onPick: pick })} />
      {evidence && (
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
