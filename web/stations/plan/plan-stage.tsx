'use client'
import { useMemo } from 'react'
import { GAP_MARKS, place, viewpointsOf } from '@holosoma/core/plan'
import { invertRigid, motionRows, transformPoint } from '@holosoma/core/linear'
import { StageView } from '@/components/stage-view'
import { currentBrief, quickPlanner, usePlan, usePlanValue, type PlanView } from '@/lib/plan-desk'
import { attempt } from '@/lib/store'
import { planProps } from '@/stage/plan-props'
import type { Layer, Ray, StagePin } from '@/stage/stage'
import { PaintKey } from '@/components/paint-key'
import { Timeline } from './timeline'

const VIEWS: readonly (readonly [PlanView, string])[] = [
  ['seen', 'Seen'],
  ['angle', 'Best angle'],
  ['shared', 'Shared'],
  ['dots', 'Dots'],
]

/**
 * The stand-in in the pose of the chosen take, painted with what the planned takes see; the device's window and depth
 * band about it.
 */
export function PlanStage() {
  const plan = usePlanValue()
  const draw = usePlan((p) => p.draw)
  const evaluation = usePlan((p) => p.evaluation)
  const details = usePlan((p) => p.details)
  const view = usePlan((p) => p.view)
  const chosen = usePlan((p) => p.take)
  const problem = usePlan((p) => p.problem)
  const painting = usePlan((p) => p.painting)
  const brushMm = usePlan((p) => p.brushMm)
  const set = usePlan((p) => p.set)
  const take = plan?.takes[Math.min(chosen, plan.takes.length - 1)]
  const data = useMemo(() => {
    if (!draw) return null
    const normals = new Float32Array(draw.count * 9)
    for (let i = 0; i < draw.count; i++)
      for (let c = 0; c < 3; c++) normals.set(draw.normals.subarray(i * 3, i * 3 + 3), i * 9 + c * 3)
    return {
      kind: 'mesh' as const,
      positions: draw.corners,
      normals,
      indices: Uint32Array.from({ length: draw.count * 3 }, (_, i) => i),
      evidence: new Uint8Array(draw.count * 3),
      colours: null,
    }
  }, [draw])
  const placed = useMemo(() => (draw && take ? place(take, draw.positions) : null), [draw, take])
  const layers = useMemo((): Layer[] => {
    if (!data || !draw) return []
    const paint =
      evaluation && evaluation.seen.length === draw.count
        ? {
            mode: view === 'dots' ? ('seen' as const) : view,
            values: view === 'angle' ? evaluation.angle : view === 'shared' ? evaluation.shared : evaluation.seen,
          }
        : null
    // A piece of another size is fitted into the view anew.
    return [
      {
        key:
          `plan ${take?.pose ?? ''} ` +
          `${placed ? `${Math.round(placed.radiusMm)} ${Math.round(placed.heightMm)}` : ''}`,
        data,
        colour: '#C9C0AE',
        rows: placed ? motionRows(placed.motion) : null,
        paint,
      },
    ]
  }, [data, draw, evaluation, view, placed, take?.pose])
  const props = useMemo(() => {
    if (!plan || !take || !placed) return null
    try {
      return planProps(
        take,
        plan.device,
        placed,
        viewpointsOf(take, plan.device, placed),
        view === 'dots' || plan.dots.where === 'piece' ? (details?.dots?.layout ?? null) : null,
        plan.dots.diameterMm,
      )
    } catch {
      return null
    }
  }, [plan, take, placed, view, details])
  const pins = useMemo(
    (): StagePin[] =>
      placed && details && view !== 'dots'
        ? details.gaps.map((g, i) => ({
            at: transformPoint(placed.motion, ...g.at),
            text: GAP_MARKS[i],
            colour: '#23272B',
          }))
        : [],
    [placed, details, view],
  )
  const paint = (ray: Ray): Promise<void> =>
    attempt(async () => {
      const back = placed ? invertRigid(placed.motion) : null
      const origin = back ? transformPoint(back, ...ray.origin) : ray.origin
      const tip = back
        ? transformPoint(
            back,
            ray.origin[0] + ray.direction[0],
            ray.origin[1] + ray.direction[1],
            ray.origin[2] + ray.direction[2],
          )
        : null
      const direction = tip
        ? ([tip[0] - origin[0], tip[1] - origin[1], tip[2] - origin[2]] as [number, number, number])
        : ray.direction
      const hit = await quickPlanner().pick(origin, direction)
      if (!hit) throw new Error('There is no surface under the click; click on the stand-in itself.')
      const brief = currentBrief()
      const areas = brief.areas.map((a, i) =>
        i === painting
          ? {
              ...a,
              place: 'painted' as const,
              strokes: [
                ...(a.strokes ?? []),
                [...hit.map((v) => Math.round(v * 100) / 100), brushMm] as [number, number, number, number],
              ],
            }
          : a,
      )
      usePlan.getState().changeBrief({ ...brief, areas })
    })
  return (
    <div className="relative h-full">
      <StageView
        name="The planned takes"
        layers={layers}
        props={props}
        pins={pins}
        {...(painting !== null && { onPick: paint })}
      />
      <div
        role="group"
        aria-label="What the stage shows"
        className="absolute top-3 left-3.5 flex overflow-hidden rounded-[7px] border border-hair bg-card"
      >
        {VIEWS.map(([v, label]) => (
          <button
            key={v}
            type="button"
            aria-pressed={view === v}
            onClick={() => set({ view: v })}
            className={`min-h-8 border-r border-hair px-3 text-[13px] last:border-r-0 ${view === v ? 'bg-ink text-card' : ''}`}
          >
            {label}
          </button>
        ))}
      </div>
      <PaintKey view={view} />
      {problem && (
        <p
          role="alert"
          className="absolute inset-x-10 top-16 rounded-md border border-madder/40 bg-blush px-3 py-2 text-center"
        >
          {problem}
        </p>
      )}
      {!draw && !problem && (
        <p className="pointer-events-none absolute inset-x-0 top-[38%] text-center font-caption text-[18px] text-graphite">
          Laying the stand-in on the stage…
        </p>
      )}
      <Timeline />
    </div>
  )
}
