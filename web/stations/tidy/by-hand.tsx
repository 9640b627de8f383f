'use client'
import { Blend, BoxSelect, Brush, Lasso, Layers, Pentagon, Share2, X, type LucideIcon } from 'lucide-react'
import { useState } from 'react'
import { unpackSelection } from '@holosoma/core/operations'
import type { KeptSelection, TakeState } from '@holosoma/engine'
import { Slide } from '@/components/fields'
import { Choice, Group, IconButton, NumberField, Plain, positiveNumber } from '@/components/ui'
import { api } from '@/lib/api'
import { choose, growPatch, takesUnderHand, BY_HAND } from '@/lib/choosing'
import { grouped } from '@/lib/format'
import type { Choosing, SelectTool } from '@/stations/tidy/desk'
import { attempt, useDesk } from '@/lib/store'
import type { Choice as Chosen } from '@/workers/selecting'

const TOOLS: readonly (readonly [SelectTool, string, LucideIcon])[] = [
  ['lasso', 'Lasso', Lasso],
  ['polygon', 'Polygon', Pentagon],
  ['box', 'Frame', BoxSelect],
  ['brush', 'Brush', Brush],
  ['plane', 'Flat patch', Layers],
  ['part', 'Part', Share2],
  ['colour', 'Colour', Blend],
]
const HINTS: Readonly<Record<SelectTool, string>> = {
  lasso: 'Draw round the points on the stage.',
  polygon: 'Click corner after corner; a double click or Enter closes it, Backspace takes one back.',
  box: 'Draw a frame on the stage.',
  brush: 'Paint on the piece.',
  plane: 'Click on a flat place: all that lies in its plane and hangs together with it.',
  part: 'Click on a part: all that hangs together with it.',
  colour: 'Click on a colour.',
}
const AXES = ['X', 'Y', 'Z'] as const

/** Points chosen by hand, on the take in the hand or on all that show. */
export function ByHand({ take }: { take: TakeState }) {
  const tool = useDesk((d) => d.tool)
  const choosing = useDesk((d) => d.choosing)
  const previews = useDesk((d) => d.previews)
  const set = useDesk((d) => d.set)
  const [by, setBy] = useState('1')
  const [height, setHeight] = useState('')
  const [axis, setAxis] = useState<0 | 1 | 2>(2)
  const [sure, setSure] = useState('0.2')
  const state = useDesk((d) => d.state)
  const [name, setName] = useState('')
  const off = take.locked && !choosing.across
  const chosen = previews.filter((p) => p.operation === BY_HAND)
  const kept = state.selections.filter((k) => choosing.across || k.takeId === take.id)
  const change = (part: Partial<Choosing>): void => set({ choosing: { ...choosing, ...part } })
  const number = (text: string, key: 'brushMm' | 'difference'): void => {
    const v = positiveNumber(text)
    if (v !== null) change({ [key]: v })
  }
  /** The patch on the stage follows its limits. */
  const limit = (part: Partial<Choosing>): void => {
    change(part)
    void attempt(growPatch)
  }
  const run = (choice: () => Chosen): Promise<void> => attempt(() => choose(choice()))
  const wanted = (text: string, what: string): number => {
    const v = Number(text.trim().replace(',', '.'))
    if (text.trim() === '' || !Number.isFinite(v)) throw new Error(`Give ${what} as a number.`)
    return v
  }
  const keep = (): Promise<void> =>
    attempt(async () => {
      if (name.trim() === '') throw new Error('Give the choice a name to keep it under.')
      for (const c of chosen) {
        const { selection } = await api.keepSelection(state.piece.id, c.shapeHash, c.bits)
        await api.nameSelection(state.piece.id, { takeId: c.takeId, name: name.trim(), selection, chosen: c.count })
      }
      setName('')
    })
  const recall = (k: KeptSelection): Promise<void> =>
    attempt(async () => {
      const on = takesUnderHand().filter((t) => t.id === k.takeId)
      if (on.length === 0) throw new Error('The take of that choice is locked or does not show.')
      const answer = await fetch(`/api/shapes/${k.selectionHash}`)
      if (!answer.ok) throw new Error('That choice could not be loaded.')
      const { bits } = unpackSelection(new Uint8Array(await answer.arrayBuffer()), on[0].shape!.points)
      await choose({ kind: 'kept', bits: bits.slice() }, false, on)
    })
  return (
    <Group title="By hand" open>
      <label className="flex items-center gap-1.5 text-[13px]">
        It works on
        <Choice
          label="It works on"
          value={choosing.across ? 'all' : 'one'}
          options={
            [
              ['one', `“${take.name}” alone`],
              ['all', 'all takes that show'],
            ] as const
          }
          onChange={(v) => set({ choosing: { ...choosing, across: v === 'all' }, previews: [], plane: null })}
          className="flex-1"
        />
      </label>
      <div role="group" aria-label="Choose points with" className="grid grid-cols-3 gap-1.5">
        {TOOLS.map(([t, label, Icon]) => (
          <button
            key={t}
            type="button"
            aria-pressed={tool === t}
            disabled={off}
            onClick={() => set({ tool: tool === t ? null : t })}
            className={`flex min-h-9 items-center justify-center gap-1.5 rounded-md border text-[13px] disabled:text-[#a39d8f] ${tool === t ? 'border-ink bg-ink text-card' : 'border-hair bg-card hover:border-graphite'}`}
          >
            <Icon size={15} aria-hidden="true" />
            {label}
          </button>
        ))}
      </div>
      {tool && <p className="text-[12.5px] text-graphite">{HINTS[tool]} Esc puts the tool down.</p>}
      <div className="flex flex-wrap gap-x-4 gap-y-1 text-[13px]">
        <label className="flex items-center gap-1.5">
          The hand
          <Choice
            value={choosing.how}
            options={
              [
                ['add', 'adds'],
                ['subtract', 'takes out'],
              ] as const
            }
            onChange={(v) => change({ how: v })}
          />
        </label>
        {(tool === 'lasso' || tool === 'polygon' || tool === 'box') && (
          <label className="flex items-center gap-1.5">
            reaches
            <Choice
              value={choosing.front ? 'front' : 'through'}
              options={
                [
                  ['front', 'the front only'],
                  ['through', 'through'],
                ] as const
              }
              onChange={(v) => change({ front: v === 'front' })}
            />
          </label>
        )}
      </div>
      {tool === 'brush' && (
        <NumberField
          key="brush"
          label="Radius of the brush"
          unit="mm"
          defaultValue={choosing.brushMm}
          onChange={(e) => number(e.target.value, 'brushMm')}
        />
      )}
      {tool === 'plane' && (
        <>
          <Slide
            label="Off the plane by up to"
            unit="mm"
            value={choosing.planeMm}
            min={0.05}
            max={3}
            step={0.05}
            onChange={(v) => limit({ planeMm: v })}
          />
          <Slide
            label="Leaning by up to"
            unit="°"
            value={choosing.angleDeg}
            min={2}
            max={60}
            step={1}
            onChange={(v) => limit({ angleDeg: v })}
          />
        </>
      )}
      {tool === 'colour' && (
        <NumberField
          key="difference"
          label="Colour difference up to"
          defaultValue={choosing.difference}
          onChange={(e) => number(e.target.value, 'difference')}
        />
      )}
      <div className="flex items-center gap-2 text-[13px]">
        <span className="flex-1">Below</span>
        <Choice
          label="Axis"
          value={axis}
          options={AXES.map((a, i) => [i, a] as const)}
          onChange={(v) => setAxis(v as 0 | 1 | 2)}
        />
        <input
          aria-label="Height"
          inputMode="decimal"
          value={height}
          onChange={(e) => setHeight(e.target.value)}
          className="figure h-8 w-20 rounded-md border border-hair bg-field px-2 text-right"
        />
        <span className="w-7 text-graphite">mm</span>
        <Plain
          disabled={off}
          onClick={() =>
            run(() => ({
              kind: 'below',
              normal: [0, 1, 2].map((c) => (c === axis ? 1 : 0)) as [number, number, number],
              offsetMm: wanted(height, 'the height'),
            }))
          }
        >
          Choose
        </Plain>
      </div>
      <Plain disabled={off} onClick={() => run(() => ({ kind: 'below', normal: [0, 0, 1], offsetMm: 1e9 }))}>
        {choosing.across ? 'Choose all that shows' : `Choose all of “${take.name}”`}
      </Plain>
      <div className="flex items-center gap-2 text-[13px]">
        <span className="flex-1">Less sure than</span>
        <input
          aria-label="Sureness"
          inputMode="decimal"
          value={sure}
          onChange={(e) => setSure(e.target.value)}
          className="figure h-8 w-20 rounded-md border border-hair bg-field px-2 text-right"
        />
        <span className="w-7" />
        <Plain disabled={off} onClick={() => run(() => ({ kind: 'unsure', below: wanted(sure, 'the sureness') }))}>
          Choose
        </Plain>
      </div>
      {chosen.length > 0 && (
        <div className="flex items-center gap-2 text-[13px]">
          <Plain onClick={() => run(() => ({ kind: 'invert' }))}>Turn round</Plain>
          <span className="flex-1" />
          <input
            aria-label="Grow or shrink by"
            inputMode="decimal"
            value={by}
            onChange={(e) => setBy(e.target.value)}
            className="figure h-8 w-14 rounded-md border border-hair bg-field px-2 text-right"
          />
          <span className="text-graphite">mm</span>
          <Plain onClick={() => run(() => ({ kind: 'grow', byMm: wanted(by, 'the distance') }))}>Grow</Plain>
          <Plain onClick={() => run(() => ({ kind: 'shrink', byMm: wanted(by, 'the distance') }))}>Shrink</Plain>
        </div>
      )}
      {chosen.length > 0 && (
        <form
          className="flex items-center gap-2 text-[13px]"
          onSubmit={(e) => {
            e.preventDefault()
            void keep()
          }}
        >
          <input
            aria-label="Name of the choice"
            placeholder="keep the choice as…"
            value={name}
            maxLength={80}
            onChange={(e) => setName(e.target.value)}
            className="h-8 min-w-0 flex-1 rounded-md border border-hair bg-field px-2"
          />
          <Plain type="submit">Keep</Plain>
        </form>
      )}
      {kept.length > 0 && (
        <ul className="grid gap-1 text-[13px]" aria-label="Kept choices">
          {kept.map((k) => {
            const stands = state.takes.some((t) => t.id === k.takeId && t.shape?.hash === k.shapeHash)
            return (
              <li key={k.id} className="flex items-center gap-1.5">
                <span className="min-w-0 flex-1 truncate" title={stands ? undefined : 'The take has changed since'}>
                  {k.name} <span className="figure text-graphite">{stands ? grouped(k.chosen) : 'take changed'}</span>
                </span>
                <Plain disabled={!stands} aria-label={`Choose “${k.name}” again`} onClick={() => recall(k)}>
                  Choose
                </Plain>
                <IconButton
                  name={`Forget “${k.name}”`}
                  onClick={() => attempt(() => api.dropSelection(state.piece.id, k.id))}
                >
                  <X size={14} />
                </IconButton>
              </li>
            )
          })}
        </ul>
      )}
    </Group>
  )
}
