'use client'
import { useEffect, useState } from 'react'
import { requirementsOf } from '@holosoma/core/brief'
import type { EdgeWay } from '@holosoma/core/denoise'
import { Choice, Group, NumberField, Plain, positiveNumber } from '@/components/ui'
import { mm } from '@/lib/format'
import { geometry } from '@/lib/geometry'
import { laidTakes, madeOf } from '@/lib/made-of'
import { attempt, submit, useBusy, useDesk } from '@/lib/store'
import type { OnSkin } from '@/workers/on-skin'

const WAYS = [
  ['kept', 'kept as they are'],
  ['true', 'laid true, flats and rounds'],
  ['rounded', 'rounded with the rest'],
] as const

/** Noise of the whole surface: where it is, how far it may be moved to take it off, and what becomes of edges. */
export function NoiseGroup() {
  const state = useDesk((d) => d.state)
  const hash = state.mesh?.shape.hash
  const shown = useDesk((d) => d.skinPaint)
  const set = useDesk((d) => d.set)
  const [cap, setCap] = useState('')
  const [edges, setEdges] = useState<EdgeWay>('kept')
  const [looking, setLooking] = useState<string | null>(null)
  const busy = useBusy()
  const made = madeOf(state)
  // The brief's tolerance is the cap of whatever mends.
  const toleranceMm = (state.brief && requirementsOf(state.brief.content).toleranceMm) ?? Infinity
  useEffect(() => () => set({ skinPaint: null }), [hash, set])
  if (!hash) return null
  const asked = (): number => {
    const capMm = positiveNumber(cap)
    if (capMm === null) throw new Error('Say how far the surface may move at most.')
    return capMm
  }
  /** Paints a length on the skin, and says what it is. */
  const look = (what: string, tell: () => Promise<OnSkin | { error: string }>, said: (found: OnSkin) => string) =>
    attempt(async () => {
      const asking = tell()
      setLooking(what)
      const found = await asking.finally(() => setLooking(null))
      if ('error' in found) throw new Error(found.error)
      set({ skinPaint: { hash, found, said: said(found) }, view: 'surface' })
    })
  const take = (): Promise<void> =>
    attempt(async () => {
      await submit({ operation: 'mend.denoise', params: { capMm: asked(), edges } })
      set({ skinPaint: null })
    })
  return (
    <Group title="Noise of the whole">
      <div className="grid grid-cols-2 gap-2" role="group" aria-label="Show the noise">
        <Plain
          disabled={looking !== null}
          onClick={() =>
            look(
              'noise',
              () => geometry(hash).noise(hash, null),
              (f) => `Noise of the skin, place by place: ${mm(f.meanMm, 4)} in the mean. Edges count as noise here`,
            )
          }
        >
          Of the skin
        </Plain>
        <Plain
          disabled={looking !== null || !made}
          onClick={() =>
            look(
              'noise',
              () => geometry(hash).noise(hash, { takes: laidTakes(state), up: made!.up, scale: made!.scale }),
              (f) => `Noise of the takes’ points about it: ${mm(f.meanMm, 4)} in the mean`,
            )
          }
        >
          Of the takes
        </Plain>
      </div>
      <NumberField label="No point moves farther than" unit="mm" value={cap} onChange={(e) => setCap(e.target.value)} />
      <label className="flex items-center gap-1.5 text-[13px]">
        Edges are
        <Choice value={edges} options={WAYS} onChange={setEdges} />
      </label>
      <div className="grid grid-cols-2 gap-2">
        <Plain
          disabled={looking !== null}
          onClick={() =>
            look(
              'moved',
              () => geometry(hash).calmed(hash, Math.min(asked(), toleranceMm), edges),
              (f) =>
                `So far would it move: up to ${mm(f.maxMm, 3)}, within ${mm(Math.min(asked(), toleranceMm))}; nothing is changed yet`,
            )
          }
        >
          Look first
        </Plain>
        <Plain disabled={busy} onClick={take}>
          Take noise off
        </Plain>
      </div>
      {looking !== null && (
        <p role="status" className="text-[13px]">
          {looking === 'noise' ? 'Looking where the noise is…' : 'Looking how far it would move…'}
        </p>
      )}
      {shown && (
        <Plain className="w-full" onClick={() => set({ skinPaint: null })}>
          Show the skin plain
        </Plain>
      )}
      <p className="text-[13px] text-graphite">
        What moves is no longer measured but carried. The ledger tells the noise before and after, and how far points
        moved; undo brings the surface back.
      </p>
    </Group>
  )
}
