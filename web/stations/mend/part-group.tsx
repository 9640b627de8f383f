'use client'
import { BoxSelect, Brush, Component, Crosshair, Eraser, Lasso, Scissors, Square } from 'lucide-react'
import { useEffect, useMemo, useState } from 'react'
import type { MeshRegion } from '@holosoma/core/select'
import { Choice, Group, NumberField, Plain, positiveNumber, SlideRow, ToolGrid, type Tool } from '@/components/ui'
import { areaText } from '@/lib/format'
import { geometry } from '@/lib/geometry'
import { attempt, submit, useBusy, useDesk } from '@/lib/store'
import { type PartTool, type SpotKind } from './desk'
import { MoreParts } from './more-parts'
import { PartActs } from './part-acts'

const TOOLS: readonly Tool<PartTool>[] = [
  ['spots', 'Spots', Crosshair, 'Click where, as often as you like.'],
  ['patch', 'Flat patch', Square, 'Click on it; it ends where the surface faces otherwise.'],
  ['part', 'Part', Component, 'Click on it: all that hangs together with it.'],
  ['lasso', 'Lasso', Lasso, 'Draw round it on the stage.'],
  ['box', 'Frame', BoxSelect, 'Draw a frame on the stage.'],
  ['brush', 'Brush', Brush, 'Paint on the skin; what faces away from you is left.'],
]

const SPOT_KINDS: readonly PartTool[] = ['spots', 'patch', 'part']
const isSpotKind = (t: PartTool): t is SpotKind => SPOT_KINDS.includes(t)

/** A part that is pointed at, to be cut out, laid flat or smoothed: round spots, a patch, an outline, under a brush. */
export function PartGroup() {
  const tool = useDesk((d) => d.partTool)
  const front = useDesk((d) => d.partFront)
  const typed = useDesk((d) => d.partMm)
  const spots = useDesk((d) => d.spots)
  const drawn = useDesk((d) => d.drawn)
  const hash = useDesk((d) => d.state.mesh?.shape.hash)
  const set = useDesk((d) => d.set)
  const busy = useBusy()
  const spotKind = useDesk((d) => d.spotKind)
  const angleDeg = useDesk((d) => d.patchDeg)
  const grown = useDesk((d) => d.grownMm)
  const reachMm = positiveNumber(typed)
  const region = useMemo((): MeshRegion | null => {
    const from = drawn ?? ofSpots(spots, spotKind, reachMm, angleDeg)
    const grownMm = Number(grown.replace('−', '-'))
    return from && Number.isFinite(grownMm) && grownMm !== 0 ? { ...from, grownMm } : from
  }, [drawn, spots, spotKind, reachMm, angleDeg, grown])
  const told = useMarked(hash, region)
  const forget = (): void => set({ spots: [], drawn: null, grownMm: '' })
  const cut = (close: boolean): Promise<void> =>
    attempt(async () => {
      await submit({ operation: 'mend.cutAway', params: { region: region!, close } })
      set({ spots: [], drawn: null, grownMm: '', partTool: null })
    })
  return (
    <Group title="A part of it">
      <ToolGrid
        label="Point at it with"
        tools={TOOLS}
        held={tool}
        className="grid-cols-3"
        onHold={(t, isHeld) =>
          set({
            partTool: isHeld ? t : null,
            areaBrush: null,
            handBrush: null,
            ...(isSpotKind(t) && { spotKind: t, drawn: null }),
          })
        }
      />
      <MoreParts region={region} choose={(chosen) => set({ drawn: chosen, spots: [], grownMm: '', partTool: null })} />
      {(tool === 'lasso' || tool === 'box') && (
        <label className="flex items-center gap-1.5 text-[13px]">
          It reaches
          <Choice
            value={front ? 'front' : 'through'}
            options={
              [
                ['front', 'what shows alone'],
                ['through', 'all through'],
              ] as const
            }
            onChange={(v) => set({ partFront: v === 'front' })}
          />
        </label>
      )}
      {(tool === 'patch' || (spots.length > 0 && spotKind === 'patch')) && (
        <SlideRow
          label="Faces otherwise by"
          said={`${angleDeg} degrees`}
          shown={`${angleDeg}°`}
          value={angleDeg}
          min={2}
          max={80}
          onChange={(v) => set({ patchDeg: v })}
        />
      )}
      {(tool === 'spots' || tool === 'brush' || (spots.length > 0 && spotKind === 'spots')) && (
        <NumberField
          label={tool === 'brush' ? 'Radius of the brush' : 'As far as'}
          unit="mm"
          value={typed}
          onChange={(e) => set({ partMm: e.target.value })}
        />
      )}
      {region && (
        <NumberField
          label="Larger by (−: smaller)"
          unit="mm"
          value={grown}
          onChange={(e) => set({ grownMm: e.target.value })}
        />
      )}
      {told !== '' && (
        <p role="status" className="text-[13px]">
          {told}
        </p>
      )}
      <div className="grid grid-cols-2 gap-2">
        <Plain
          disabled={busy || !region}
          className="flex items-center justify-center gap-1.5"
          onClick={() => cut(false)}
        >
          <Scissors size={14} aria-hidden="true" /> Cut it out
        </Plain>
        <Plain disabled={!region} onClick={forget}>
          Forget it
        </Plain>
        <Plain
          disabled={busy || !region}
          className="col-span-2 flex items-center justify-center gap-1.5"
          onClick={() => cut(true)}
        >
          <Eraser size={14} aria-hidden="true" /> Take it off, and close as the surface goes
        </Plain>
      </div>
      {region && <PartActs region={region} spots={spots} done={forget} />}
      <p className="text-[13px] text-graphite">
        Cut out, it leaves a hole; taken off, the surface goes on as it does round it, and counts as invented there.
      </p>
    </Group>
  )
}

/** The region that clicked places stand for; null where there are none. */
function ofSpots(
  spots: readonly (readonly number[])[],
  kind: SpotKind,
  reachMm: number | null,
  angleDeg: number,
): MeshRegion | null {
  if (spots.length === 0) return null
  if (kind === 'patch') return { kind: 'patch', seeds: spots, angleDeg }
  if (kind === 'part') return { kind: 'part', seeds: spots }
  return reachMm === null ? null : { kind: 'seeds', seeds: spots, reachMm }
}

/** Paints the region on the stage; how much it is, in words. */
function useMarked(hash: string | undefined, region: MeshRegion | null): string {
  const set = useDesk((d) => d.set)
  const [told, setTold] = useState('')
  useEffect(() => {
    if (!hash || !region) {
      set({ skinMark: null })
      setTold('')
      return
    }
    let current = true
    geometry(hash)
      .part(hash, region)
      .then(
        (found) => {
          if (!current) return
          if ('error' in found) {
            set({ skinMark: null })
            setTold(found.error)
            return
          }
          // A length painted over it would hide what is chosen.
          set({ skinMark: { hash, mark: found.mark }, skinPaint: null })
          setTold(
            found.areaMm2 > 0
              ? `About ${areaText(found.areaMm2)} of the surface.`
              : 'Nothing of the surface lies there.',
          )
        },
        (e: Error) => current && set({ error: e.message }),
      )
    return () => {
      current = false
    }
  }, [hash, region, set])
  useEffect(() => () => set({ skinMark: null }), [set])
  return told
}
