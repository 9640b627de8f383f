'use client'
import { useEffect, useMemo, useState } from 'react'
import type { FoundGap } from '@holosoma/core/complete/completeness'
import { GAP_MARKS } from '@holosoma/core/plan/findings'
import type { StepRecord, TakeState } from '@holosoma/engine'
import { PaintKey } from '@/stations/plan/paint-key'
import { geometry } from '@/lib/geometry'
import { pigmentOf } from '@/lib/pigments'
import { TidyStage } from '@/stations/tidy/tidy-stage'
import { bestNextPick } from '@/lib/picks'
import { attemptInTurn, useDesk, type PickedPair, type View } from '@/lib/store'
import type { CameraPose, Layer, Ray, StagePin } from '@/stage/stage'
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

function Chips({ options }: { options: readonly [View, string][] }) {
  const chosen = useDesk((d) => d.view)
  const set = useDesk((d) => d.set)
  // A view of another station stands for this one's first.
  const view = options.some(([v]) => v === chosen) ? chosen : options[0]![0]
  return (
    <div role="group" aria-label="What the stage shows" className="absolute top-3 left-3.5 flex overflow-hidden rounded-[7px] border border-hair bg-card">
      {options.map(([v, label]) => (
        <button key={v} type="button" aria-pressed={view === v} onClick={() => set({ view: v })} className={`min-h-8 border-r border-hair px-3 text-[13px] last:border-r-0 ${view === v ? 'bg-ink text-card' : ''}`}>{label}</button>
      ))}
    </div>
  )
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
      {shown === 'missing' ? <MissingStage step={check!.step} stale={check!.stale} /> : shown === 'bench' ? <LiveStage /> : <OneTake takes={takes} />}
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
    void fetch(`/api/shapes/${step.outputs.classes}`).then(async (r) => {
      const values = new Float32Array(await r.arrayBuffer())
      if (current) setClasses(Uint8Array.from(values))
    }, () => undefined)
    return () => {
      current = false
    }
  }, [step.outputs.classes])
  const layers = useMemo((): Layer[] => {
    const d = data.get(estimate)
    return d && classes && classes.length * 9 === d.positions.length ? [{ key: `missing ${estimate}`, data: d, colour: '#C9C0AE', rows: null, paint: { mode: 'seen', values: classes } }] : []
  }, [data, estimate, classes])
  const pins = useMemo((): StagePin[] => (JSON.parse(String(step.figures.gaps)) as FoundGap[]).map((g, i) => ({ at: g.at, text: GAP_MARKS[i]!, colour: g.matters ? '#23272B' : '#7F7864' })), [step])
  return (
    <>
      <StageView name="What is missing of the whole" layers={layers} pins={pins} />
      <PaintKey />
      {stale && <p className="absolute bottom-12 left-1/2 -translate-x-1/2 rounded-md border border-hair bg-card px-3 py-1 text-[13px] text-graphite">Takes have changed since; look again.</p>}
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
      {!take && <EmptyStage text={bench ? 'The bench is empty. Take the piece, or drop scan files here.' : 'Drop scan files here.'} />}
      {take?.shape && layers.length === 0 && <EmptyStage text={take.hidden ? `“${take.name}” is hidden.` : 'Laying it on the stage…'} />}
    </div>
  )
}

/** With so many pairs the fine match has all it needs. */
const MANY_PAIRS = 6

function PickStages({ takes }: { takes: readonly TakeState[] }) {
  const selected = useDesk((d) => d.selectedTake)
  const pairs = useDesk((d) => d.pairs)
  const set = useDesk((d) => d.set)
  const fixed = takes.find((t) => t.fixed) ?? takes[0]!
  const other = takes.find((t) => t.id === selected && t !== fixed) ?? takes.find((t) => t !== fixed)!
  const data = useDrawData([fixed.shape!.hash, other.shape!.hash])
  const [pose, setPose] = useState<{ from: number; pose: CameraPose } | null>(null)
  const layersOf = (take: TakeState): Layer[] => {
    const d = data.get(take.shape!.hash)
    return d ? [{ key: `take ${take.id}`, data: d, colour: pigmentOf(take).colour, rows: null }] : []
  }
  // eslint-disable-next-line react-hooks/exhaustive-deps -- layers depend on the shapes alone
  const left = useMemo(() => layersOf(fixed), [fixed.id, fixed.shape!.hash, data])
  // eslint-disable-next-line react-hooks/exhaustive-deps -- as above
  const right = useMemo(() => layersOf(other), [other.id, other.shape!.hash, data])
  const pick = (side: 'a' | 'b', take: TakeState) => (ray: Ray): Promise<void> => attemptInTurn(async () => {
    const hit = await geometry(take.shape!.hash).pick(take.shape!.hash, ray.origin, ray.direction, ray.radiusMm)
    if (!hit) throw new Error('There is no point under the click; click on the piece itself.')
    const pin = { takeId: take.id, at: hit.at }
    const now = useDesk.getState().pairs
    const open = now.findIndex((p) => !p[side] && p[side === 'a' ? 'b' : 'a'])
    const pair: PickedPair = side === 'a' ? { a: pin, b: null } : { a: null, b: pin }
    set({ pairs: open >= 0 ? now.map((p, i) => (i === open ? { ...p, [side]: pin } : p)) : [...now.filter((p) => p.a && p.b), pair] })
  })
  const pinsOf = (side: 'a' | 'b', take: TakeState): StagePin[] => pairs.flatMap((p, i) => (p[side] ? [{ at: p[side]!.at, text: String(i + 1), colour: darker(pigmentOf(take).colour) }] : []))
  const surface = data.get(fixed.shape!.hash)?.positions
  const next = useMemo(() => {
    const whole = pairs.filter((p) => p.a && p.b).length
    return surface && whole === pairs.length && whole < MANY_PAIRS ? bestNextPick(pairs, surface) : null
  }, [pairs, surface])
  // eslint-disable-next-line react-hooks/exhaustive-deps -- pins depend on the pairs alone
  const leftPins = useMemo(() => [...pinsOf('a', fixed), ...(next ? [{ at: next, text: '+', colour: '#7F7864' }] : [])], [pairs, fixed.id, next])
  // eslint-disable-next-line react-hooks/exhaustive-deps -- as above
  const rightPins = useMemo(() => pinsOf('b', other), [pairs, other.id])
  return (
    <div className="grid h-full grid-cols-2">
      {([[fixed, left, leftPins, 'a'], [other, right, rightPins, 'b']] as const).map(([take, layers, pins, side], i) => (
        <div key={take.id} className={`relative min-w-0 ${i === 0 ? 'border-r border-hair' : ''}`}>
          <StageView
            name={`Take ${take.name}, ${i === 0 ? 'left' : 'right'}`} layers={layers} pins={pins} onPick={pick(side, take)}
            pose={pose && pose.from !== i ? pose.pose : null} onPose={(p) => setPose({ from: i, pose: p })}
          />
          <p className="pointer-events-none absolute top-3 left-3.5 flex items-center gap-2 rounded-md border border-hair bg-card px-2.5 py-1 text-[13px]">
            <i className="inline-block h-2.5 w-2.5 rounded-sm" style={{ background: pigmentOf(take).colour }} /> <b className="font-semibold">{take.ordinal} {take.name}</b>{i === 0 && <span className="text-graphite">fixed</span>}
          </p>
        </div>
      ))}
    </div>
  )
}

function darker(colour: string): string {
  return `#${[1, 3, 5].map((i) => Math.round(parseInt(colour.slice(i, i + 2), 16) * 0.75).toString(16).padStart(2, '0')).join('')}`
}

function JoinedStage({ takes }: { takes: readonly TakeState[] }) {
  const join = useDesk((d) => d.state.join)!
  const view = useDesk((d) => d.view)
  const solo = useDesk((d) => d.solo)
  const shown = useMemo(() => takes.filter((t) => join.motions[t.name] && (solo === null ? !t.hidden : t.id === solo)), [takes, join, solo])
  const data = useDrawData(shown.map((t) => t.shape!.hash))
  const [tints, setTints] = useState<ReadonlyMap<string, Uint8Array>>(new Map())
  const key = `${view} ${join.step.id} ${shown.map((t) => t.shape!.hash).join()}`
  useEffect(() => {
    if (view !== 'residual') return
    let current = true
    const scatter = Math.max(Number(join.step.figures.expectedMm), 1e-6)
    void (async () => {
      for (const take of shown) {
        const others = shown.filter((o) => o !== take).map((o) => ({ hash: o.shape!.hash, rows: join.motions[o.name]! }))
        const residual = await geometry(take.shape!.hash).residuals(take.shape!.hash, join.motions[take.name]!, others, 20 * scatter)
        if (current) setTints((old) => new Map([...old, [`${take.shape!.hash} ${join.step.id}`, residualTint(residual, scatter)]]))
      }
    })()
    return () => {
      current = false
    }
    // eslint-disable-next-line react-hooks/exhaustive-deps -- `key` says it all
  }, [key])
  const layers = useMemo((): Layer[] => shown.flatMap((t) => {
    const d = data.get(t.shape!.hash)
    if (!d) return []
    const tint = view === 'residual' ? tints.get(`${t.shape!.hash} ${join.step.id}`) ?? null : null
    return [{ key: `take ${t.id}`, data: d, colour: pigmentOf(t).colour, rows: join.motions[t.name]!, tint }]
  }), [shown, data, join, view, tints])
  return (
    <div className="relative h-full">
      <StageView name="The joined takes" layers={layers} />
      <Chips options={[['takes', 'Takes'], ['residual', 'Residual']]} />
      {view === 'residual' && <ResidualKey scatter={Number(join.step.figures.expectedMm)} />}
      {layers.length < shown.length && <EmptyStage text="Laying the takes on the stage…" />}
    </div>
  )
}

const RESIDUAL_STEPS = [[59, 63, 140], [128, 130, 172], [214, 208, 196], [190, 152, 112], [138, 90, 34]] as const

/** Five steps from touching to two scatters apart; grey where the other take has nothing. */
function residualTint(residual: Float32Array, scatter: number): Uint8Array {
  const out = new Uint8Array(residual.length * 3)
  for (let i = 0; i < residual.length; i++) {
    const step = Number.isNaN(residual[i]!) ? null : RESIDUAL_STEPS[Math.min(4, Math.floor((residual[i]! / scatter) * 2))]!
    for (let c = 0; c < 3; c++) out[i * 3 + c] = step ? step[c]! : 176
  }
  return out
}

function ResidualKey({ scatter }: { scatter: number }) {
  return (
    <div className="absolute right-14 bottom-3 flex items-end gap-1 rounded-md border border-hair bg-card px-2 py-1 text-[12px] text-graphite" aria-label="Key of the residual">
      {RESIDUAL_STEPS.map((c, i) => (
        <span key={i} className="text-center"><i className="block h-3 w-12" style={{ background: `rgb(${c.join()})` }} /><span className="figure">{i === 4 ? '≥ ' : ''}{((i * scatter) / 2).toFixed(2)}</span></span>
      ))}
      <span>mm apart</span>
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
    return d ? [{ key: `mesh ${mesh.shape.hash}`, data: d, colour: CLAY, rows: null, showEvidence: view === 'evidence' }] : []
  }, [data, mesh.shape.hash, view])
  const pins = useMemo((): StagePin[] => (station === 'size' ? points.map((p, i) => ({ at: p.at, text: i === 0 ? 'A' : 'B', colour: '#23272B' })) : []), [points, station])
  const pick = (ray: Ray): Promise<void> => attemptInTurn(async () => {
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
      {evidence && <Chips options={[['surface', 'Surface'], ['evidence', 'Evidence']]} />}
      {layers.length === 0 && <EmptyStage text="Laying the skin on the stage…" />}
    </div>
  )
}
