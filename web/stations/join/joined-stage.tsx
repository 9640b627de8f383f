'use client'
import { useEffect, useMemo, useState } from 'react'
import type { TakeState } from '@holosoma/engine'
import { Chips } from '@/components/chips'
import { EmptyStage } from '@/components/empty-stage'
import { StageView } from '@/components/stage-view'
import { useDrawData } from '@/components/use-draw-data'
import { geometry } from '@/lib/geometry'
import { extentOf, joinTold, middleOf, movedMotions, slideRows } from '@/lib/joining'
import { pigmentOf } from '@/lib/pigments'
import { useDesk, type View } from '@/lib/store'
import type { StageMotion } from '@/stage/motion-handle'
import type { Layer } from '@/stage/stage'
import { ResidualKey, residualTint } from './residual-tint'
import { SectionView } from './section-view'
import { SlideNote } from './slide-note'

/** Seconds of one back and forth, and pictures a second. */
const PERIOD_S = 5
const PICTURES = 20

/** The takes where the join put them: by pigment, by residual, cut through, or moving as they still can. */
export function JoinedStage({ takes }: { takes: readonly TakeState[] }) {
  const join = useDesk((d) => d.state.join)!
  const station = useDesk((d) => d.station)
  const chosen = useDesk((d) => d.view)
  const solo = useDesk((d) => d.solo)
  const alternative = useDesk((d) => d.alternative)
  const slideAt = useDesk((d) => d.slide)
  const nudge = useDesk((d) => d.nudge)
  const set = useDesk((d) => d.set)
  const figures = useMemo(() => joinTold(join), [join])
  const slide = figures.slides[slideAt] ?? figures.slides[0]
  const options: [View, string][] = [
    ['takes', 'Takes'],
    ['residual', 'Residual'],
    ...(station === 'join' ? [['section', 'Section'] as [View, string]] : []),
    ...(station === 'join' && slide
      ? [['motion', slide.free ? 'Free motion' : 'Weakest motion'] as [View, string]]
      : []),
  ]
  const view = options.some(([v]) => v === chosen) ? chosen : 'takes'
  const shown = useMemo(
    () => takes.filter((t) => join.motions[t.name] && (solo === null ? !t.hidden : t.id === solo)),
    [takes, join, solo],
  )
  const data = useDrawData(shown.map((t) => t.shape!.hash))
  const tints = useResiduals(view === 'residual', shown)
  const sizeMm = useMemo(
    () => Math.max(1, ...shown.map((t) => extentOf(data.get(t.shape!.hash)?.positions))),
    [shown, data],
  )
  const phase = useSwing(view === 'motion')
  const motions = useMemo(() => {
    if (view === 'motion' && slide) return movedMotions(join.motions, slide.movers, slideRows(slide, sizeMm, phase))
    const other = alternative === null ? undefined : figures.alternatives[alternative]
    if (other) return movedMotions(join.motions, other.movers, other.motion)
    const moved = nudge && takes.find((t) => t.id === nudge.takeId)
    return moved ? { ...join.motions, [moved.name]: nudge.rows } : join.motions
  }, [view, slide, sizeMm, phase, alternative, nudge, join, figures, takes])
  const layers = useMemo(
    (): Layer[] =>
      shown.flatMap((t) => {
        const d = data.get(t.shape!.hash)
        if (!d) return []
        return [
          {
            key: `take ${t.id}`,
            data: d,
            colour: pigmentOf(t).colour,
            rows: motions[t.name],
            tint: tints.get(`${t.shape!.hash} ${join.step.id}`) ?? null,
          },
        ]
      }),
    [shown, data, motions, tints, join],
  )
  const held = nudge && shown.find((t) => t.id === nudge.takeId)
  const middle = useMemo(() => (held ? middleOf(data.get(held.shape!.hash)?.positions) : null), [held, data])
  const motion: StageMotion | null = useMemo(
    () => (nudge && middle && view === 'takes' ? { rows: nudge.rows, mode: nudge.mode, middle } : null),
    [nudge, middle, view],
  )
  return (
    <div className="relative h-full">
      {view === 'section' ? (
        <SectionView takes={shown} motions={motions} />
      ) : (
        <StageView
          name="The joined takes"
          layers={layers}
          motion={motion}
          onMotion={(rows) => set({ nudge: { ...useDesk.getState().nudge!, rows } })}
        />
      )}
      <Chips options={options} />
      {view === 'residual' && <ResidualKey scatter={Number(join.step.figures.expectedMm)} />}
      {view === 'motion' && slide && <SlideNote slides={figures.slides} chosen={slide} />}
      {layers.length < shown.length && <EmptyStage text="Laying the takes on the stage…" />}
    </div>
  )
}

/** Residual colours of each take against the others. */
function useResiduals(wanted: boolean, shown: readonly TakeState[]): ReadonlyMap<string, Uint8Array> {
  const join = useDesk((d) => d.state.join)!
  const [tints, setTints] = useState<ReadonlyMap<string, Uint8Array>>(new Map())
  const key = `${wanted} ${join.step.id} ${shown.map((t) => t.shape!.hash).join()}`
  useEffect(() => {
    if (!wanted) return
    let current = true
    const scatter = Math.max(Number(join.step.figures.expectedMm), 1e-6)
    void (async () => {
      for (const take of shown) {
        const others = shown.filter((o) => o !== take).map((o) => ({ hash: o.shape!.hash, rows: join.motions[o.name] }))
        const residual = await geometry(take.shape!.hash).residuals(
          take.shape!.hash,
          join.motions[take.name],
          others,
          20 * scatter,
        )
        if (current)
          setTints((old) => new Map([...old, [`${take.shape!.hash} ${join.step.id}`, residualTint(residual, scatter)]]))
      }
    })()
    return () => {
      current = false
    }
    // eslint-disable-next-line react-hooks/exhaustive-deps -- `key` says it all
  }, [key])
  return wanted ? tints : NO_TINTS
}

const NO_TINTS: ReadonlyMap<string, Uint8Array> = new Map()

/** −1…1 and back, slowly; still at one end where a person wants less motion. */
function useSwing(on: boolean): number {
  const [phase, setPhase] = useState(0)
  useEffect(() => {
    if (!on) return
    if (window.matchMedia('(prefers-reduced-motion: reduce)').matches) {
      setPhase(1)
      return
    }
    const start = performance.now()
    const timer = setInterval(
      () => setPhase(Math.sin(((performance.now() - start) / 1000 / PERIOD_S) * 2 * Math.PI)),
      1000 / PICTURES,
    )
    return () => clearInterval(timer)
  }, [on])
  return on ? phase : 0
}
