'use client'
import { useState } from 'react'
import type { TakeState } from '@holosoma/engine'
import { Choice, Plain } from '@/components/ui'
import { useDrawData } from '@/components/use-draw-data'
import { middleOf, placeOf, screwRows, timesRows } from '@/lib/joining'
import { attempt, submit, useBusy, useDesk } from '@/lib/store'

const STEPS_MM = [0.1, 1, 10] as const
const STEPS_DEG = [0.5, 5, 45] as const
const AXES = ['x', 'y', 'z'] as const

/**
 * Moves one take by steps or by the handles on the stage; nothing is kept until it is said. Locked and fixed takes do
 * not move.
 */
export function MoveGroup({ takes }: { takes: readonly TakeState[] }) {
  const join = useDesk((d) => d.state.join)!
  const nudge = useDesk((d) => d.nudge)
  const selected = useDesk((d) => d.selectedTake)
  const fixed = takes.find((t) => t.fixed) ?? takes[0]
  const movable = takes.filter((t) => t !== fixed && !t.locked && join.motions[t.name])
  const take = movable.find((t) => t.id === (nudge?.takeId ?? selected)) ?? movable[0]
  if (!take)
    return (
      <p className="text-[13px] text-graphite">
        The other takes are locked; unlock one on the contact sheet to move it.
      </p>
    )
  return <MoveOne key={take.id} take={take} movable={movable} />
}

function MoveOne({ take, movable }: { take: TakeState; movable: readonly TakeState[] }) {
  const join = useDesk((d) => d.state.join)!
  const nudge = useDesk((d) => d.nudge)
  const set = useDesk((d) => d.set)
  const busy = useBusy()
  const [coarse, setCoarse] = useState(1)
  const data = useDrawData([take.shape!.hash]).get(take.shape!.hash)
  const rows = nudge?.takeId === take.id ? nudge.rows : join.motions[take.name]
  const space = nudge?.space ?? 'piece'
  const by = (axis: number, sign: number, turn: boolean): void => {
    const direction = space === 'piece' ? [0, 1, 2].map((k) => (k === axis ? 1 : 0)) : screenAxis(axis)
    const step = turn
      ? screwRows(
          direction,
          placeOf(rows, middleOf(data?.positions) ?? [0, 0, 0]),
          (sign * STEPS_DEG[coarse] * Math.PI) / 180,
          0,
        )
      : screwRows(direction, [0, 0, 0], 0, sign * STEPS_MM[coarse])
    set({
      nudge: { takeId: take.id, rows: timesRows(step, rows), space, mode: turn ? 'turn' : 'move' },
      view: 'takes',
      alternative: null,
    })
  }
  const keep = (fine: boolean): Promise<void> =>
    attempt(async () => {
      await submit({ operation: 'join.match', params: { initial: { ...join.motions, [take.name]: rows }, fine } })
      set({ nudge: null })
    })
  const start = (mode: 'move' | 'turn'): void =>
    set({ nudge: { takeId: take.id, rows, space, mode }, view: 'takes', alternative: null })
  return (
    <div className="grid gap-2 text-[13px]" data-testid="move-by-hand">
      <label className="flex items-center justify-between gap-2">
        <span>Take</span>
        <Choice
          value={take.id}
          options={movable.map((t) => [t.id, `${t.ordinal} ${t.name}`] as const)}
          onChange={(v) => set({ selectedTake: v, nudge: null })}
        />
      </label>
      <div className="grid grid-cols-2 gap-2">
        <Plain aria-pressed={nudge?.mode === 'move'} onClick={() => start('move')}>
          Handles: move
        </Plain>
        <Plain aria-pressed={nudge?.mode === 'turn'} onClick={() => start('turn')}>
          Handles: turn
        </Plain>
      </div>
      <div className="flex items-center justify-between gap-2">
        <span>Along the axes of</span>
        <Choice
          label="Axes"
          value={space}
          options={
            [
              ['piece', 'the piece'],
              ['screen', 'the screen'],
            ] as const
          }
          onChange={(v) =>
            set({
              nudge: {
                takeId: take.id,
                rows,
                mode: nudge?.mode ?? 'move',
                space: v,
              },
            })
          }
        />
      </div>
      <div className="flex items-center justify-between gap-2">
        <span>Steps</span>
        <Choice
          label="Steps"
          value={coarse}
          options={STEPS_MM.map((m, i) => [i, `${m} mm, ${STEPS_DEG[i]}°`] as const)}
          onChange={(v) => setCoarse(v)}
        />
      </div>
      {[false, true].map((turn) => (
        <div key={String(turn)} className="grid grid-cols-3 gap-2">
          {AXES.map((a, i) => (
            <span key={a} className="flex items-center justify-between rounded-md border border-hair bg-card">
              <button
                type="button"
                aria-label={`${turn ? 'Turn back about' : 'Move back along'} ${a}`}
                className="h-8 w-8"
                onClick={() => by(i, -1, turn)}
              >
                −
              </button>
              <span className="figure text-[12px] text-graphite">
                {turn ? '↻ ' : ''}
                {a}
              </span>
              <button
                type="button"
                aria-label={`${turn ? 'Turn about' : 'Move along'} ${a}`}
                className="h-8 w-8"
                onClick={() => by(i, 1, turn)}
              >
                +
              </button>
            </span>
          ))}
        </div>
      ))}
      <div className="grid grid-cols-2 gap-2">
        <Plain disabled={busy || nudge === null} onClick={() => keep(true)}>
          Match from here
        </Plain>
        <Plain disabled={busy || nudge === null} onClick={() => keep(false)}>
          Keep it as placed
        </Plain>
      </div>
      {nudge && <Plain onClick={() => set({ nudge: null })}>Put it back</Plain>}
    </div>
  )
}

/** Right, up and towards the eye as the stage is seen now, in the piece's coordinates. */
function screenAxis(axis: number): number[] {
  const canvas = document.querySelector<HTMLCanvasElement & { stage?: { axes(): number[][] } }>('[data-testid="stage"]')
  return canvas?.stage?.axes()[axis] ?? [0, 1, 2].map((k) => (k === axis ? 1 : 0))
}
