'use client'
import { ArrowDownToLine, Droplets, Magnet, Minus } from 'lucide-react'
import { useEffect, useState } from 'react'
import type { Brush } from '@holosoma/core/sculpt'
import { Choice, Group, NumberField, Plain, Primary, SlideRow, Tick, ToolGrid, type Tool } from '@/components/ui'
import { grouped, mm } from '@/lib/format'
import { madeOf } from '@/lib/made-of'
import { attempt, submit, useBusy, useDesk } from '@/lib/store'
import { capOf, putDown, strokeBack, takeUp } from './hands'

const BRUSHES: readonly Tool<Brush>[] = [
  ['smooth', 'Smooth', Droplets, 'Takes roughness off, little by little.'],
  ['fill', 'Fill up', ArrowDownToLine, 'Raises pits to the surface that runs over them; lowers nothing.'],
  ['flatten', 'Flatten', Minus, 'Lays it onto the plane or cylinder that most of the first dab lies in.'],
  ['pull', 'To the points', Magnet, 'Brings it back to where the takes have their points.'],
]

/** Brushes on the skin, held to what the takes say; kept as one act. */
export function HandsGroup() {
  const state = useDesk((d) => d.state)
  const brush = useDesk((d) => d.handBrush)
  const radius = useDesk((d) => d.handMm)
  const strength = useDesk((d) => d.handStrength)
  const onto = useDesk((d) => d.handOnto)
  const typedCap = useDesk((d) => d.handCapMm)
  const reason = useDesk((d) => d.handReason)
  const strokes = useDesk((d) => d.handStrokes)
  const told = useDesk((d) => d.handTold)
  const live = useDesk((d) => d.skinLive)
  const set = useDesk((d) => d.set)
  const busy = useBusy()
  const [opening, setOpening] = useState(false)
  /** The cap it was laid under the hand with. */
  const [heldTo, setHeldTo] = useState<number | null>(null)
  const hash = state.mesh?.shape.hash
  const capMm = capOf(state, typedCap)
  const forced = reason !== null
  const open = (): Promise<void> =>
    attempt(async () => {
      setOpening(true)
      setHeldTo(capMm)
      await takeUp().finally(() => setOpening(false))
    })
  // Another skin than the one under the hand: what was brushed on that is gone with it.
  useEffect(() => {
    const { skinLive } = useDesk.getState()
    if (skinLive && skinLive.hash !== hash) putDown()
  }, [hash])
  useEffect(() => putDown, [])
  if (!hash) return null
  const hasTakes = madeOf(state) !== null
  const hold = (next: Brush, isHeld: boolean): void => {
    if (!isHeld) return set({ handBrush: null })
    set({ handBrush: next, partTool: null, areaBrush: null, meshPlane: null })
    if (!live) void open()
  }
  const keep = (): Promise<void> =>
    attempt(async () => {
      if (forced && (reason ?? '').trim().length < 3) throw new Error('Say why the cap is left aside.')
      await submit({
        operation: 'mend.brush',
        params: { strokes: [...strokes], capMm: capMm ?? 0, reason: forced ? reason.trim() : null },
      })
      set({ handBrush: null })
    })
  return (
    <Group title="Brushes">
      <ToolGrid
        label="Brush"
        tools={BRUSHES}
        held={brush}
        className="grid-cols-4"
        disabled={(b) => b === 'pull' && !hasTakes}
        said={opening ? 'Laying the surface under the brush…' : null}
        onHold={hold}
      />
      {brush === 'flatten' && (
        <label className="flex items-center gap-1.5 text-[13px]">
          Onto
          <Choice
            value={onto}
            options={
              [
                ['plane', 'a plane'],
                ['cylinder', 'a cylinder'],
              ] as const
            }
            onChange={(v) => set({ handOnto: v })}
          />
        </label>
      )}
      <NumberField
        label="Radius of the brush"
        unit="mm"
        value={radius}
        onChange={(e) => set({ handMm: e.target.value })}
      />
      <SlideRow
        label="Strength"
        said={`${Math.round(strength * 100)} %`}
        value={Math.round(strength * 100)}
        min={5}
        max={100}
        step={5}
        onChange={(v) => set({ handStrength: v / 100 })}
      />
      <NumberField
        label={hasTakes ? 'Never farther from the takes than' : 'Never farther from where it was than'}
        unit="mm"
        placeholder={capMm === null ? '' : String(Number(capMm.toPrecision(3)))}
        value={typedCap}
        disabled={forced}
        onChange={(e) => set({ handCapMm: e.target.value })}
        onBlur={() => live && capMm !== heldTo && void open()}
      />
      <Tick
        checked={forced}
        onChange={(v) => {
          set({ handReason: v ? '' : null })
          if (live) void open()
        }}
      >
        Leave the cap aside, with a reason
      </Tick>
      {forced && (
        <label className="grid gap-1 text-[13px]">
          Why
          <textarea
            rows={2}
            maxLength={400}
            className="rounded-md border border-hair bg-card px-2 py-1"
            value={reason}
            onChange={(e) => set({ handReason: e.target.value })}
          />
        </label>
      )}
      {told && strokes.length > 0 && (
        <p role="status" className="text-[13px]">
          {strokes.length} {strokes.length === 1 ? 'stroke' : 'strokes'}: moved by {mm(told.mostMm, 3)} at most
          {told.fromRawMm > 0 && `, ${mm(told.fromRawMm, 3)} from the takes`}
          {told.heldBack > 0 && `; the cap holds ${grouped(told.heldBack)} points back`}.
        </p>
      )}
      {strokes.length > 0 && (
        <>
          <Primary disabled={busy || (told?.moved ?? 0) === 0} onClick={keep}>
            Keep what was brushed
          </Primary>
          <div className="grid grid-cols-2 gap-2">
            <Plain onClick={() => attempt(strokeBack)}>Take the last back</Plain>
            <Plain onClick={putDown}>Forget it all</Plain>
          </div>
        </>
      )}
      <p className="text-[13px] text-graphite">
        What is smoothed or flattened counts as carried, what is filled up as invented. A pen’s pressure drives the
        strength.
      </p>
    </Group>
  )
}
