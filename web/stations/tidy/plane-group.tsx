'use client'
import { useState } from 'react'
import type { TakeState } from '@holosoma/engine'
import { planeOfFigures } from '@holosoma/core/operations'
import { Choice, Group, Plain } from '@/components/ui'
import { middleOf, showPlane } from '@/lib/cut-plane'
import { chainOf } from '@/lib/chain'
import { attempt, useDesk } from '@/lib/store'

const AXES = ['X', 'Y', 'Z'] as const

/** A plane that cuts: at a height, from the table, through three points; then moved and tilted by its handles. */
export function PlaneGroup({ take }: { take: TakeState }) {
  const plane = useDesk((d) => d.plane)
  const points = useDesk((d) => d.planePoints)
  const state = useDesk((d) => d.state)
  const set = useDesk((d) => d.set)
  const [axis, setAxis] = useState<0 | 1 | 2>(2)
  const [at, setAt] = useState('')
  const [above, setAbove] = useState('2')
  const table =
    chainOf(state, `take:${take.id}`)
      .map((s) => planeOfFigures(s.figures))
      .findLast((p) => p !== null) ?? null
  const wanted = (text: string): number => {
    const v = Number(text.trim().replace(',', '.'))
    if (text.trim() === '' || !Number.isFinite(v)) throw new Error('Give the height in mm, as a number.')
    return v
  }
  const show = (make: () => Parameters<typeof showPlane>[0]): Promise<void> => attempt(() => showPlane(make()))
  return (
    <Group title="Cut plane">
      <div className="flex items-center gap-2 text-[13px]">
        <span className="flex-1">Across</span>
        <Choice
          label="Axis of the plane"
          value={axis}
          options={AXES.map((a, i) => [i, a] as const)}
          onChange={(v) => setAxis(v as 0 | 1 | 2)}
        />
        <input
          aria-label="Place of the plane"
          inputMode="decimal"
          placeholder="middle"
          value={at}
          onChange={(e) => setAt(e.target.value)}
          className="figure h-8 w-20 rounded-md border border-hair bg-field px-2 text-right"
        />
        <span className="w-7 text-graphite">mm</span>
        <Plain
          disabled={take.locked}
          onClick={() =>
            show(() => ({
              normal: [0, 1, 2].map((c) => (c === axis ? 1 : 0)) as [number, number, number],
              offsetMm: at.trim() === '' ? middleOf(take)[axis] : wanted(at),
              from: `across ${AXES[axis]}`,
            }))
          }
        >
          Lay
        </Plain>
      </div>
      <div className="flex items-center gap-2 text-[13px]">
        <span className="flex-1">Over the table by</span>
        <input
          aria-label="Distance from the table"
          inputMode="decimal"
          value={above}
          onChange={(e) => setAbove(e.target.value)}
          className="figure h-8 w-20 rounded-md border border-hair bg-field px-2 text-right"
        />
        <span className="w-7 text-graphite">mm</span>
        <Plain
          disabled={take.locked || !table}
          title={table ? undefined : 'The table of this take is not known yet'}
          onClick={() =>
            show(() => ({
              normal: [table![0], table![1], table![2]],
              offsetMm: table![3] + wanted(above),
              from: 'over the table',
            }))
          }
        >
          Lay
        </Plain>
      </div>
      <Plain
        disabled={take.locked}
        aria-pressed={points !== null}
        onClick={() => set({ tool: null, plane: null, previews: [], planePoints: points === null ? [] : null })}
      >
        {points === null
          ? 'Through three points…'
          : `Click on the piece: ${['first', 'second', 'third'][points.length]} point`}
      </Plain>
      {plane && (
        <>
          <p className="text-[12.5px] text-graphite">
            Drag the arrow to move it, the rings to tilt it. What lies below goes.
          </p>
          <Plain
            onClick={() =>
              show(() => ({
                normal: plane.normal.map((v) => -v) as [number, number, number],
                offsetMm: -plane.offsetMm,
                from: plane.from,
              }))
            }
          >
            Cut the other side
          </Plain>
        </>
      )}
    </Group>
  )
}
