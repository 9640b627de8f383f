'use client'
import { useState } from 'react'
import { Choice, NumberField, Plain, positiveNumber } from '@/components/ui'
import { geometry } from '@/lib/geometry'
import { attempt, submit, useBusy, useDesk } from '@/lib/store'

/** Another result of the piece goes on beyond the plane, without a seam. */
export function SplicePart() {
  const state = useDesk((d) => d.state)
  const plane = useDesk((d) => d.meshPlane)
  const set = useDesk((d) => d.set)
  const [chosen, setChosen] = useState<number | null>(null)
  const [typed, setTyped] = useState('5')
  const busy = useBusy()
  const others = state.results.filter((r) => r.id !== state.mesh?.id)
  if (others.length === 0) return null
  const other = others.find((r) => r.id === chosen) ?? others[0]
  const join = (): Promise<void> =>
    attempt(async () => {
      const bandMm = positiveNumber(typed)
      if (bandMm === null) throw new Error('The band must be wider than 0 mm.')
      await submit({
        operation: 'mend.splice',
        params: { normal: [...plane!.normal], offsetMm: plane!.offsetMm, bandMm, with: other.id },
      })
      set({ meshPlane: null })
    })
  const where = (): Promise<void> =>
    attempt(async () => {
      const { hash } = state.mesh!.shape
      const found = await geometry(hash).overlapPlane(hash, other.shape.hash)
      if ('error' in found) throw new Error(found.error)
      set({ meshPlane: found })
    })
  return (
    <div className="grid gap-2 border-t border-hair pt-2">
      <div className="flex items-center justify-between gap-2 text-[13px]">
        <span>Beyond the plane goes on</span>
        <Choice
          label="Beyond the plane goes on"
          value={String(other.id)}
          options={others.map((r) => [String(r.id), r.name] as const)}
          onChange={(v) => setChosen(Number(v))}
        />
      </div>
      <NumberField
        label="Going over into it within"
        unit="mm"
        value={typed}
        onChange={(e) => setTyped(e.target.value)}
      />
      <Plain onClick={where}>Lay the plane where they overlap</Plain>
      <Plain disabled={busy || !plane} onClick={join}>
        Splice them there
      </Plain>
      <p className="text-[13px] text-graphite">
        Both must have surface on both sides of the plane; within the band each goes over into the other, and nothing
        else moves.
      </p>
    </div>
  )
}
