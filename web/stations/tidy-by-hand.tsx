'use client'
import { Blend, BoxSelect, Brush, Lasso, Layers, Share2, type LucideIcon } from 'lucide-react'
import { useState } from 'react'
import type { TakeState } from '@holosoma/engine'
import { Group, NumberField, Plain, positiveNumber } from '@/components/ui'
import { chooseOn, chosenOn } from '@/lib/choosing'
import { attempt, useDesk, type Choosing, type SelectTool } from '@/lib/store'
import type { Choice } from '@/workers/selecting'

const TOOLS: readonly (readonly [SelectTool, string, LucideIcon])[] = [['lasso', 'Lasso', Lasso], ['box', 'Frame', BoxSelect], ['brush', 'Brush', Brush], ['plane', 'Flat patch', Layers], ['part', 'Part', Share2], ['colour', 'Colour', Blend]]
const HINTS: Readonly<Record<SelectTool, string>> = {
  lasso: 'Draw round the points on the stage.', box: 'Draw a frame on the stage.', brush: 'Paint on the piece.', plane: 'Click on a flat place: all that lies in its plane and hangs together with it.', part: 'Click on a part: all that hangs together with it.', colour: 'Click on a colour.',
}
const AXES = ['X', 'Y', 'Z'] as const

/** Points chosen by hand, on the take that is shown. */
export function ByHand({ take }: { take: TakeState }) {
  const tool = useDesk((d) => d.tool)
  const choosing = useDesk((d) => d.choosing)
  const previews = useDesk((d) => d.previews)
  const set = useDesk((d) => d.set)
  const [by, setBy] = useState('1')
  const [height, setHeight] = useState('')
  const [axis, setAxis] = useState<0 | 1 | 2>(2)
  const [sure, setSure] = useState('0.2')
  const chosen = chosenOn(take, previews)
  const change = (part: Partial<Choosing>): void => set({ choosing: { ...choosing, ...part } })
  const number = (text: string, key: 'brushMm' | 'planeMm' | 'angleDeg' | 'difference'): void => {
    const v = positiveNumber(text)
    if (v !== null) change({ [key]: v })
  }
  const run = (choice: () => Choice): Promise<void> => attempt(() => chooseOn(take, choice()))
  const wanted = (text: string, what: string): number => {
    const v = Number(text.trim().replace(',', '.'))
    if (text.trim() === '' || !Number.isFinite(v)) throw new Error(`Give ${what} as a number.`)
    return v
  }
  return (
    <Group title="By hand" open>
      <div role="group" aria-label="Choose points with" className="grid grid-cols-3 gap-1.5">
        {TOOLS.map(([t, label, Icon]) => <button key={t} type="button" aria-pressed={tool === t} disabled={take.locked} onClick={() => set({ tool: tool === t ? null : t })} className={`flex min-h-9 items-center justify-center gap-1.5 rounded-md border text-[13px] disabled:text-[#a39d8f] ${tool === t ? 'border-ink bg-ink text-card' : 'border-hair bg-card hover:border-graphite'}`}><Icon size={15} aria-hidden="true" />{label}</button>)}
      </div>
      {tool && <p className="text-[12.5px] text-graphite">{HINTS[tool]} Esc puts the tool down.</p>}
      <div className="flex flex-wrap gap-x-4 gap-y-1 text-[13px]">
        <label className="flex items-center gap-1.5">The hand<select value={choosing.how} onChange={(e) => change({ how: e.target.value as Choosing['how'] })} className="h-8 rounded-md border border-hair bg-white px-1.5"><option value="add">adds</option><option value="subtract">takes out</option></select></label>
        {(tool === 'lasso' || tool === 'box') && <label className="flex items-center gap-1.5">reaches<select value={choosing.front ? 'front' : 'through'} onChange={(e) => change({ front: e.target.value === 'front' })} className="h-8 rounded-md border border-hair bg-white px-1.5"><option value="front">the front only</option><option value="through">through</option></select></label>}
      </div>
      {tool === 'brush' && <NumberField key="brush" label="Radius of the brush" unit="mm" defaultValue={choosing.brushMm} onChange={(e) => number(e.target.value, 'brushMm')} />}
      {tool === 'plane' && <><NumberField key="plane" label="Off the plane by up to" unit="mm" defaultValue={choosing.planeMm} onChange={(e) => number(e.target.value, 'planeMm')} /><NumberField key="angle" label="Leaning by up to" unit="°" defaultValue={choosing.angleDeg} onChange={(e) => number(e.target.value, 'angleDeg')} /></>}
      {tool === 'colour' && <NumberField key="difference" label="Colour difference up to" defaultValue={choosing.difference} onChange={(e) => number(e.target.value, 'difference')} />}
      <div className="flex items-center gap-2 text-[13px]">
        <span className="flex-1">Below</span>
        <select aria-label="Axis" value={axis} onChange={(e) => setAxis(Number(e.target.value) as 0 | 1 | 2)} className="h-8 rounded-md border border-hair bg-white px-1.5">{AXES.map((a, i) => <option key={a} value={i}>{a}</option>)}</select>
        <input aria-label="Height" inputMode="decimal" value={height} onChange={(e) => setHeight(e.target.value)} className="figure h-8 w-20 rounded-md border border-hair bg-white px-2 text-right" /><span className="w-7 text-graphite">mm</span>
        <Plain disabled={take.locked} onClick={() => run(() => ({ kind: 'below', axis, atMm: wanted(height, 'the height') }))}>Choose</Plain>
      </div>
      <div className="flex items-center gap-2 text-[13px]">
        <span className="flex-1">Less sure than</span>
        <input aria-label="Sureness" inputMode="decimal" value={sure} onChange={(e) => setSure(e.target.value)} className="figure h-8 w-20 rounded-md border border-hair bg-white px-2 text-right" /><span className="w-7" />
        <Plain disabled={take.locked} onClick={() => run(() => ({ kind: 'unsure', below: wanted(sure, 'the sureness') }))}>Choose</Plain>
      </div>
      {chosen && (
        <div className="flex items-center gap-2 text-[13px]">
          <Plain onClick={() => run(() => ({ kind: 'invert' }))}>Turn round</Plain>
          <span className="flex-1" />
          <input aria-label="Grow or shrink by" inputMode="decimal" value={by} onChange={(e) => setBy(e.target.value)} className="figure h-8 w-14 rounded-md border border-hair bg-white px-2 text-right" /><span className="text-graphite">mm</span>
          <Plain onClick={() => run(() => ({ kind: 'grow', byMm: wanted(by, 'the distance') }))}>Grow</Plain>
          <Plain onClick={() => run(() => ({ kind: 'shrink', byMm: wanted(by, 'the distance') }))}>Shrink</Plain>
        </div>
      )}
    </Group>
  )
}
