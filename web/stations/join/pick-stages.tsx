'use client'
import { Choice } from '@/components/ui'
import { useDeferredValue, useMemo, useState } from 'react'
import type { TakeState } from '@holosoma/engine'
import { StageView } from '@/components/stage-view'
import { useDrawData } from '@/components/use-draw-data'
import { geometry } from '@/lib/geometry'
import { extentOf } from '@/lib/joining'
import { bestNextPick, pairsOf, takesToPick } from '@/lib/picks'
import { pigmentOf } from '@/lib/pigments'
import type { PickedPair } from '@/stations/join/desk'
import { attemptInTurn, useDesk } from '@/lib/store'
import type { CameraPose, Layer, Ray, StagePin } from '@/stage/stage'

/** With so many pairs the fine match has all it needs. */
const MANY_PAIRS = 6
/** Of the piece's size: how far a spot may jump to a feature. */
const SNAP_SHARE = 0.03

/** Two takes side by side, to pick the same places on. */
export function PickStages({ takes }: { takes: readonly TakeState[] }) {
  const selected = useDesk((d) => d.selectedTake)
  const pairs = useDesk((d) => d.pairs)
  const set = useDesk((d) => d.set)
  const picks = useDesk((d) => d.picks)
  const [fixed, other] = takesToPick(takes, picks, selected)
  const data = useDrawData([fixed.shape!.hash, other.shape!.hash])
  const [pose, setPose] = useState<{ from: number; pose: CameraPose } | null>(null)
  const laid = useDesk((d) => (d.picks.together ? d.laid : null))
  const layersOf = (take: TakeState): Layer[] => {
    const d = data.get(take.shape!.hash)
    return d ? [{ key: `take ${take.id}`, data: d, colour: pigmentOf(take).colour, rows: null }] : []
  }
  const left = useMemo(
    () => [...layersOf(fixed), ...(laid ? layersOf(other).map((l) => ({ ...l, rows: laid })) : [])],
    // eslint-disable-next-line react-hooks/exhaustive-deps -- layers depend on the shapes alone
    [fixed.id, fixed.shape!.hash, other.id, other.shape!.hash, data, laid],
  )
  // eslint-disable-next-line react-hooks/exhaustive-deps -- as above
  const right = useMemo(() => layersOf(other), [other.id, other.shape!.hash, data])
  const pick =
    (side: 'a' | 'b', take: TakeState) =>
    (ray: Ray): Promise<void> =>
      attemptInTurn(async () => {
        const hit = await geometry(take.shape!.hash).pick(take.shape!.hash, ray.origin, ray.direction, ray.radiusMm)
        if (!hit) throw new Error('There is no point under the click; click on the piece itself.')
        const { pairs: now, picks: how } = useDesk.getState()
        const at =
          how.snap && !how.areas
            ? await geometry(take.shape!.hash).snap(
                take.shape!.hash,
                [...hit.at] as [number, number, number],
                SNAP_SHARE * extentOf(data.get(take.shape!.hash)?.positions),
              )
            : hit.at
        const pin = { takeId: take.id, at }
        const across = side === 'a' ? 'b' : 'a',
          partner = side === 'a' ? other : fixed
        const open = now.findIndex((p) => !p[side] && p[across]?.takeId === partner.id && !p.areaMm === !how.areas)
        const pair: PickedPair = {
          a: side === 'a' ? pin : null,
          b: side === 'b' ? pin : null,
          ...(how.areas && { areaMm: how.areaMm }),
        }
        set({
          pairs:
            open >= 0
              ? now.map((p, i) => (i === open ? { ...p, [side]: pin } : p))
              : [...now.filter((p) => p.a && p.b), pair],
        })
      })
  const shown = useMemo(() => pairsOf(pairs, fixed.id, other.id), [pairs, fixed.id, other.id])
  const pinsOf = (side: 'a' | 'b', take: TakeState): StagePin[] =>
    shown.flatMap((p, i) =>
      p[side] ? [{ at: p[side].at, text: String(i + 1), colour: darker(pigmentOf(take).colour) }] : [],
    )
  const surface = data.get(fixed.shape!.hash)?.positions
  // Reckoned after what the pairs say is shown.
  const later = useDeferredValue(shown)
  const next = useMemo(() => {
    const spots = later.filter((p) => (p.a || p.b) && !p.areaMm),
      whole = spots.filter((p) => p.a && p.b).length
    return surface && whole === spots.length && whole < MANY_PAIRS ? bestNextPick(spots, surface) : null
  }, [later, surface])
  const choose = (side: 'a' | 'b', id: number): void => {
    // The one that stands on the other side gives way to it.
    const [l, r] =
      side === 'a' ? [id, id === other.id ? fixed.id : other.id] : [id === fixed.id ? other.id : fixed.id, id]
    set({ picks: { ...picks, left: l, right: r } })
  }
  const leftPins = useMemo(
    () => [...pinsOf('a', fixed), ...(next ? [{ at: next, text: '+', colour: '#7F7864' }] : [])],
    // eslint-disable-next-line react-hooks/exhaustive-deps -- pins depend on the pairs alone
    [shown, next],
  )
  // eslint-disable-next-line react-hooks/exhaustive-deps -- as above
  const rightPins = useMemo(() => pinsOf('b', other), [shown])
  return (
    <div className="grid h-full grid-cols-2">
      {(
        [
          [fixed, left, leftPins, 'a'],
          [other, right, rightPins, 'b'],
        ] as const
      ).map(([take, layers, pins, side], i) => (
        <div key={take.id} className={`relative min-w-0 ${i === 0 ? 'border-r border-hair' : ''}`}>
          <StageView
            name={`Take ${take.name}, ${i === 0 ? 'left' : 'right'}`}
            layers={layers}
            pins={pins}
            onPick={pick(side, take)}
            pose={pose && pose.from !== i ? pose.pose : null}
            onPose={(p) => setPose({ from: i, pose: p })}
          />
          <p className="absolute top-3 left-3.5 flex items-center gap-2 rounded-md border border-hair bg-card px-2.5 py-1 text-[13px]">
            <i className="inline-block h-2.5 w-2.5 rounded-sm" style={{ background: pigmentOf(take).colour }} />
            {takes.length === 2 ? (
              <b className="font-semibold">
                {take.ordinal} {take.name}
              </b>
            ) : (
              <Choice
                label={i === 0 ? 'Take on the left' : 'Take on the right'}
                value={take.id}
                options={takes.map((t) => [t.id, `${t.ordinal} ${t.name}`] as const)}
                onChange={(v) => choose(side, v)}
                className="rounded bg-card font-semibold"
              />
            )}
            {take.fixed && <span className="text-graphite">fixed</span>}
          </p>
        </div>
      ))}
    </div>
  )
}

function darker(colour: string): string {
  return `#${[1, 3, 5]
    .map((i) =>
      Math.round(parseInt(colour.slice(i, i + 2), 16) * 0.75)
        .toString(16)
        .padStart(2, '0'),
    )
    .join('')}`
}
