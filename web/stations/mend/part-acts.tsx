'use client'
import type { MeshRegion } from '@holosoma/core/select'
import type { PartWay } from '@holosoma/core/sculpt'
import { Plain } from '@/components/ui'
import { mm } from '@/lib/format'
import { geometry } from '@/lib/geometry'
import { madeOf } from '@/lib/made-of'
import { attempt, submit, useBusy, useDesk } from '@/lib/store'
import type { Place } from './desk'
import { capOf } from './hands'
import { planeThrough } from './planes'

/** What can be done with a part besides cutting it out: laid flat or round, smoothed, a plane laid along it. */
export function PartActs({ region, spots, done }: { region: MeshRegion; spots: readonly Place[]; done: () => void }) {
  const state = useDesk((d) => d.state)
  const set = useDesk((d) => d.set)
  const busy = useBusy()
  const capMm = capOf(
    state,
    useDesk((d) => d.handCapMm),
  )
  const mesh = state.mesh
  if (!mesh) return null
  const work = (way: PartWay): Promise<void> =>
    attempt(async () => {
      if (capMm === null) throw new Error('Say under “Brushes” how far the surface may be moved.')
      await submit({ operation: 'mend.workPart', params: { region, way, capMm } })
      done()
    })
  const alongIt = (): Promise<void> =>
    attempt(async () => {
      const { hash, bounds } = mesh.shape
      if (bounds && spots.length === 3 && region.kind === 'seeds')
        return set({ meshPlane: planeThrough(spots, bounds) })
      const found = await geometry(hash).planeOf(hash, region)
      if ('error' in found) throw new Error(found.error)
      set({ meshPlane: found })
    })
  return (
    <div className="grid grid-cols-3 gap-2" role="group" aria-label="Work on the part">
      <Plain disabled={busy} onClick={() => work('plane')}>
        Lay it flat
      </Plain>
      <Plain disabled={busy} onClick={() => work('cylinder')}>
        Lay it round
      </Plain>
      <Plain disabled={busy} onClick={() => work('smooth')}>
        Smooth it
      </Plain>
      {capMm !== null && (
        <p className="col-span-3 text-[12.5px] text-graphite">
          Held to {mm(capMm)} from {madeOf(state) ? 'the takes' : 'where it is'}, as under “Brushes”.
        </p>
      )}
      <Plain className="col-span-3" onClick={alongIt}>
        {spots.length === 3 && region.kind === 'seeds'
          ? 'A cutting plane through the three spots'
          : 'A cutting plane along it'}
      </Plain>
    </div>
  )
}
