'use client'
import { useMemo, useState } from 'react'
import { secondColour, shapesOf, type Comparison, type LaidShape } from '@/lib/comparison'
import { useDesk } from '@/lib/store'
import type { CameraPose, Layer } from '@/stage/stage'
import { EmptyStage } from '../empty-stage'
import { StageView } from '../stage-view'
import { useDrawData } from '../use-draw-data'
import { Divider } from './divider'
import { DifferenceKey, differenceTint, reachOf } from './difference'
import { useDifference } from './use-difference'

/** Two things on two linked stages, on one under a divider, or the difference painted on the first of them. */
export function CompareStage({ comparing }: { comparing: Comparison }) {
  const state = useDesk((d) => d.state)
  const { a, b, mode } = comparing
  const left = useMemo(() => shapesOf(state, a, b), [state, a, b])
  const right = useMemo(() => shapesOf(state, b, a).map(secondColour), [state, b, a])
  const data = useDrawData([...left, ...right].map((s) => s.hash))
  const [at, setAt] = useState(0.5)
  const [pose, setPose] = useState<{ from: 'a' | 'b'; pose: CameraPose } | null>(null)
  const difference = useDifference(mode === 'difference' ? left : null, right)
  const layers = (shapes: readonly LaidShape[], more: (i: number) => Partial<Layer> = () => ({})): Layer[] =>
    shapes.flatMap((s, i) => {
      const d = data.get(s.hash)
      return d ? [{ key: s.key, data: d, colour: s.colour, rows: s.rows, ...more(i) }] : []
    })
  const both = useMemo(() => {
    if (mode !== 'divider') return []
    return [
      ...layers(left, () => ({ half: { side: 'left', at } })).map((l) => ({ ...l, key: `a ${l.key}` })),
      ...layers(right, () => ({ half: { side: 'right', at } })).map((l) => ({ ...l, key: `b ${l.key}` })),
    ]
    // eslint-disable-next-line react-hooks/exhaustive-deps -- layers follow from these
  }, [mode, left, right, data, at])
  const tints = useMemo(() => {
    if (!difference) return null
    const reach = reachOf(difference)
    return difference.each.map((d) => differenceTint(d, reach))
  }, [difference])
  const one = useMemo(
    () => layers(left, (i) => ({ tint: tints?.[i] ?? null })),
    // eslint-disable-next-line react-hooks/exhaustive-deps -- layers follow from these
    [left, data, tints],
  )
  // eslint-disable-next-line react-hooks/exhaustive-deps -- layers follow from these
  const other = useMemo(() => layers(right), [right, data])
  if (left.length + right.length === 0) return <EmptyStage text="One of the two is gone." />
  if (mode === 'beside')
    return (
      <div className="grid h-full grid-cols-2">
        {(
          [
            ['a', 'left', one],
            ['b', 'right', other],
          ] as const
        ).map(([side, word, shown]) => (
          <div key={side} className={`relative min-w-0 ${side === 'a' ? 'border-r border-hair' : ''}`}>
            <StageView
              name={`Compared, ${word}`}
              layers={shown}
              linked
              pose={pose && pose.from !== side ? pose.pose : null}
              onPose={(p) => setPose({ from: side, pose: p })}
            />
          </div>
        ))}
      </div>
    )
  return (
    <div className="relative h-full">
      <StageView name="Compared" layers={mode === 'divider' ? both : one} />
      {mode === 'divider' && <Divider at={at} onMove={setAt} />}
      {mode === 'difference' &&
        (difference ? <DifferenceKey difference={difference} /> : <EmptyStage text="Measuring the difference…" />)}
    </div>
  )
}
