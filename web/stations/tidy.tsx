'use client'
import { useState } from 'react'
import type { TakeState } from '@holosoma/engine'
import { Findings } from '@/components/finding'
import { Group, NumberField, Plain, positiveNumber, Primary } from '@/components/ui'
import { grouped, percent } from '@/lib/format'
import { BY_HAND, cutChosen } from '@/lib/choosing'
import { geometry } from '@/lib/geometry'
import { chainOf, STATION_NAMES } from '@/lib/stations'
import { attempt, submit, useBusy, useDesk } from '@/lib/store'
import { ByHand } from './tidy-by-hand'

interface Act { operation: 'tidy.trimTable' | 'tidy.removeStrays' | 'tidy.removeGrazing' | 'tidy.thinCurved'; params: object; verb: string }

/** Only the piece remains: what would go is painted first, then cut. */
export function TidyPanel() {
  const state = useDesk((d) => d.state)
  const previews = useDesk((d) => d.previews)
  const selected = useDesk((d) => d.selectedTake)
  const set = useDesk((d) => d.set)
  const [offset, setOffset] = useState('0.6')
  const [gap, setGap] = useState('')
  const [angle, setAngle] = useState('78')
  const [loss, setLoss] = useState('0.02')
  const [cap, setCap] = useState('')
  const [looking, setLooking] = useState(false)
  const takes = state.takes.filter((t) => t.shape && !t.locked)
  const current = state.takes.find((t) => t.id === selected && t.shape) ?? state.takes.find((t) => t.shape)
  const busy = useBusy()
  const tidied = (t: TakeState): boolean => chainOf(state, `take:${t.id}`).some((s) => s.operation.startsWith('tidy.'))
  const has = (t: TakeState, operation: string): boolean => chainOf(state, `take:${t.id}`).some((s) => s.operation === operation)
  const strewn = takes.filter((t) => t.shape!.kind === 'cloud' && !has(t, 'tidy.removeStrays'))
  const untidied = takes.filter((t) => t.shape!.kind === 'cloud' && !tidied(t))
  const findings = current ? chainOf(state, `take:${current.id}`).filter((s) => s.operation.startsWith('tidy.')).flatMap((s) => s.findings) : []
  const preview = previews.find((p) => p.takeId === current?.id && p.shapeHash === current?.shape?.hash)

  const table = (): Act | null => {
    const v = Number(offset.replace(',', '.'))
    return Number.isFinite(v) && v >= 0 ? { operation: 'tidy.trimTable', params: { offsetMm: v }, verb: 'Cut the table' } : null
  }
  const strays = (): Act | null => {
    const v = positiveNumber(gap)
    return v === null && gap.trim() !== '' ? null : { operation: 'tidy.removeStrays', params: { gapMm: v }, verb: 'Remove strays' }
  }
  const grazing = (): Act | null => {
    const v = positiveNumber(angle)
    return v !== null && v >= 30 && v <= 90 ? { operation: 'tidy.removeGrazing', params: { angleDeg: v }, verb: 'Remove' } : null
  }
  const thinning = (): Act | null => {
    const v = positiveNumber(loss)
    return v === null ? null : { operation: 'tidy.thinCurved', params: { lossMm: v }, verb: 'Remove' }
  }
  const smooth = (): Promise<void> => attempt(async () => {
    const v = positiveNumber(cap)
    if (v === null && cap.trim() !== '') throw new Error('Give the cap in mm, as a number, or leave it empty.')
    await submit({ operation: 'tidy.smooth', params: { capMm: v }, takeId: current!.id })
    set({ previews: [] })
  })
  const look = (act: Act | null, wrong = 'Give the distance in mm, as a number.'): Promise<void> => attempt(async () => {
    if (!act) throw new Error(wrong)
    if (!current?.shape) throw new Error('Choose a take on the contact sheet first.')
    setLooking(true)
    try {
      const found = await geometry().previewCut(current.shape.hash, act.operation, act.params)
      if ('error' in found) throw new Error(found.error)
      set({ previews: [{ takeId: current.id, shapeHash: current.shape.hash, operation: act.operation, params: act.params, ...found }] })
    } finally {
      setLooking(false)
    }
  })
  const apply = (): Promise<void> => attempt(async () => {
    if (preview!.operation === BY_HAND) return cutChosen(preview!)
    await submit({ operation: preview!.operation, params: preview!.params, takeId: preview!.takeId })
    set({ previews: [] })
  })
  const tidyAll = (): Promise<void> => attempt(async () => {
    await submit(...untidied.map((take) => ({ operation: 'tidy.trimTable', params: {}, takeId: take.id })))
    set({ previews: [] })
  })
  const strayAll = (): Promise<void> => attempt(async () => {
    await submit(...strewn.map((take) => ({ operation: 'tidy.removeStrays', params: {}, takeId: take.id })))
    set({ previews: [] })
  })
  const on = takes.length > 1 ? 'join' as const : 'skin' as const
  return (
    <>
      <h2 className="mb-2 font-caption text-[21px] leading-tight font-semibold">Is only the piece left?</h2>
      {!current && <p className="font-caption text-[16px]">There is no take to tidy yet.</p>}
      {preview ? (
        <section aria-label="Preview" data-testid="preview">
          <p className="font-caption text-[16px] leading-[1.42]">{preview.text}</p>
          <p className="figure mt-1 text-[13px] text-graphite">{grouped(preview.count)} of {grouped(current!.shape!.points)} points ({percent(preview.count / current!.shape!.points)}) would go, hatched in blue</p>
          <div className="mt-3 grid gap-2">
            <Primary disabled={busy || preview.count === 0} onClick={apply}>{preview.operation === 'tidy.trimTable' || preview.operation === BY_HAND ? 'Cut' : 'Remove'} {grouped(preview.count)} points</Primary>
              {preview.operation === 'tidy.trimTable' && preview.count === 0 && <Plain disabled={looking} onClick={() => look({ operation: 'tidy.trimTable', params: { ...preview.params, force: true }, verb: 'Cut the table' })}>It is the table: show the cut</Plain>}
            <Plain onClick={() => set({ previews: [] })}>Leave them</Plain>
          </div>
        </section>
      ) : (
        current && (
          <>
            {findings.length > 0 ? <Findings findings={findings} /> : <p className="font-caption text-[16px]">“{current.name}” is as it was taken: {grouped(current.shape!.points)} points.</p>}
            <div className="mt-3 grid gap-2">
              {untidied.length > 0
                ? <Primary disabled={busy} onClick={tidyAll}>{untidied.length === 1 ? `Cut the table from “${untidied[0]!.name}”` : `Cut the table from all ${untidied.length} takes`}</Primary>
                : strewn.length > 0
                  ? (
                    <>
                      <Primary disabled={busy} onClick={strayAll}>Remove strays from {strewn.length === 1 ? `“${strewn[0]!.name}”` : `all ${strewn.length} takes`}</Primary>
                      <Plain disabled={busy} className="py-2" onClick={() => set({ station: on })}>Go on to {STATION_NAMES[on]}</Plain>
                    </>
                  )
                  : <Primary disabled={busy} onClick={() => set({ station: on })}>Go on to {STATION_NAMES[on]}</Primary>}
            </div>
          </>
        )
      )}
      {current && (
        <div className="mt-3">
          <Group title="Table" open>
            <NumberField label="Cut above the table" unit="mm" value={offset} onChange={(e) => setOffset(e.target.value)} />
            <Plain disabled={looking || current.locked} onClick={() => look(table())}>{looking ? 'Looking…' : 'Show what the table would take'}</Plain>
          </Group>
          <Group title="Strays" open>
            <NumberField label="Apart by more than" unit="mm" placeholder="auto" value={gap} onChange={(e) => setGap(e.target.value)} />
            <Plain disabled={looking || current.locked} onClick={() => look(strays())}>{looking ? 'Looking…' : 'Show the strays'}</Plain>
          </Group>
          {current.shape!.kind === 'cloud' && (
            <>
              <Group title="Glancing points">
                <NumberField label="Seen flatter than" unit="°" value={angle} onChange={(e) => setAngle(e.target.value)} />
                <Plain disabled={looking || current.locked} onClick={() => look(grazing(), 'Give the angle as a number from 30 to 90.')}>{looking ? 'Looking…' : 'Show the glancing points'}</Plain>
              </Group>
              <Group title="Noise">
                <NumberField label="No point moves more than" unit="mm" placeholder="auto" value={cap} onChange={(e) => setCap(e.target.value)} />
                <Plain disabled={busy || current.locked} onClick={smooth}>Take the noise off “{current.name}”</Plain>
              </Group>
              <Group title="Thin flat places">
                <NumberField label="The surface may lose" unit="mm" value={loss} onChange={(e) => setLoss(e.target.value)} />
                <Plain disabled={looking || current.locked} onClick={() => look(thinning(), 'Give what may be lost in mm, as a number.')}>{looking ? 'Looking…' : 'Show what would be thinned'}</Plain>
              </Group>
            </>
          )}
          {current.shape!.kind === 'cloud' && <ByHand key={current.id} take={current} />}
          {current.locked && <p className="text-[13px] text-graphite">“{current.name}” is locked; nothing can change it.</p>}
        </div>
      )}
    </>
  )
}
