'use client'
import { useEffect, useState } from 'react'
import { Choice, Group, Plain } from '@/components/ui'
import { geometry } from '@/lib/geometry'
import { attempt, submit, useBusy, useDesk } from '@/lib/store'
import type { EdgeLines } from '@holosoma/core/fuse'
import { laidTakes, madeUnsized } from '@/lib/made-of'

const CHOICES = [
  ['careful', 'Carefully'],
  ['strong', 'Readily'],
] as const

/** Edges that the takes tell of: looked for, drawn on the skin, taken or left. */
export function Edges() {
  const state = useDesk((d) => d.state)
  const set = useDesk((d) => d.set)
  const busy = useBusy()
  const [choice, setChoice] = useState<'careful' | 'strong'>('careful')
  const [looking, setLooking] = useState(false)
  const [seen, setSeen] = useState<{ hash: string; choice: string; edges: EdgeLines } | null>(null)
  const hash = state.mesh?.shape.hash ?? ''
  const made = madeUnsized(state)
  // What was seen on another skin, or looked for otherwise, says nothing here.
  const edges = seen?.hash === hash && seen.choice === choice ? seen.edges : null
  useEffect(() => {
    set({ skinTools: edges ? { pins: [], onPick: null, lines: edges.segments } : null })
    return () => set({ skinTools: null })
  }, [edges, set])
  if (!made) return null
  const look = (): Promise<void> =>
    attempt(async () => {
      setLooking(true)
      try {
        const found = await geometry(hash).edges(hash, laidTakes(state), made.up, choice)
        if ('error' in found) throw new Error(found.error)
        setSeen({ hash, choice, edges: found })
        set({ view: 'surface' })
      } finally {
        setLooking(false)
      }
    })
  const take = (): Promise<void> =>
    attempt(async () => {
      await submit({ operation: 'skin.edges', params: { choice } })
      setSeen(null)
    })
  return (
    <Group title="Edges of made things">
      <p className="mb-2 text-[13px] text-graphite">
        A skin rounds edges to its spacing. Where the points of two sides meet sharply, the edge can be put back.
      </p>
      <label className="grid gap-1 text-[13px]">
        Edges are believed
        <Choice label="Edges are believed" value={choice} options={CHOICES} onChange={setChoice} />
      </label>
      {edges && (
        <p className="my-2 font-caption text-[15px]" role="status" data-testid="edges-seen">
          {edges.lengthMm === 0
            ? edges.leftRound > 0
              ? 'Edges were seen, and none could be made sharp without faces turning over.'
              : 'The points tell of no sharp edge here.'
            : `${edges.lengthMm.toFixed(0)} mm of edges, ${edges.inwardMm.toFixed(0)} mm of them inwards, ` +
              `${edges.corners} corners; they turn by ${edges.meanAngle.toFixed(0)}° on the mean.`}
        </p>
      )}
      {edges && edges.lengthMm > 0 ? (
        <div className="mt-2 grid grid-cols-2 gap-2">
          <Plain disabled={busy} onClick={take}>
            Make them sharp
          </Plain>
          <Plain onClick={() => setSeen(null)}>Leave them</Plain>
        </div>
      ) : (
        <Plain className="mt-2 w-full" disabled={busy || looking} onClick={look}>
          {looking ? 'Looking for edges…' : 'Look for edges'}
        </Plain>
      )}
    </Group>
  )
}
