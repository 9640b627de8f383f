'use client'
import { useMemo, useState } from 'react'
import type { TakeState } from '@holosoma/engine'
import { StageView } from '@/components/stage-view'
import { useDrawData } from '@/components/use-draw-data'
import { geometry } from '@/lib/geometry'
import { bestNextPick } from '@/lib/picks'
import { pigmentOf } from '@/lib/pigments'
import { attemptInTurn, useDesk, type PickedPair } from '@/lib/store'
import type { CameraPose, Layer, Ray, StagePin } from '@/stage/stage'

/** With so many pairs the fine match has all it needs. */
const MANY_PAIRS = 6

/** Two takes side by side, to pick the same places on. */
export function PickStages({ takes }: { takes: readonly TakeState[] }) {
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
