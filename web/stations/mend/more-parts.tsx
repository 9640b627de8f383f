'use client'
import { X } from 'lucide-react'
import { useState } from 'react'
import type { MeshRegion } from '@holosoma/core/select'
import type { KeptPart } from '@holosoma/core/operations'
import { IconButton, Plain } from '@/components/ui'
import { api } from '@/lib/api'
import { areasOnSkin } from '@/lib/areas'
import { grownOf } from '@/lib/results'
import { geometry } from '@/lib/geometry'
import { attempt, useDesk } from '@/lib/store'
import { keptRegion, placesOfArea } from './part-places'

const CAME = [
  ['invented', 'Invented'],
  ['carried', 'Carried'],
] as const

/** Parts that need no pointing: by how they came to be, by the areas of the brief, and those that were kept by name. */
export function MoreParts({ region, choose }: { region: MeshRegion | null; choose: (region: MeshRegion) => void }) {
  const state = useDesk((d) => d.state)
  const [name, setName] = useState('')
  const { mesh, brief, areas } = state
  const kept = state.parts?.content.parts ?? []
  if (!mesh) return null
  const grown = grownOf(mesh)
  const byArea = (index: number): Promise<void> =>
    attempt(async () => {
      const { areaOf } = await areasOnSkin(state, areas!.content, brief!.content)
      const { positions } = await geometry(mesh.shape.hash).draw(mesh.shape.hash)
      const found = placesOfArea(positions, areaOf, index)
      if (!found) throw new Error(`Nothing of the skin lies in “${brief!.content.areas[index].name}”.`)
      choose(found)
    })
  const save = (parts: readonly KeptPart[]): Promise<unknown> =>
    api.saveDocument(
      state.piece.id,
      'parts',
      { parts },
      null,
      state.parts && { stepId: state.parts.stepId, revision: state.parts.revision },
    )
  const keep = (): Promise<void> =>
    attempt(async () => {
      const called = name.trim()
      if (called === '') throw new Error('Give the part a name to keep it by.')
      await save([...kept.filter((k) => k.name !== called), { name: called, region: region!, scale: grown }])
      setName('')
    })
  return (
    <div className="grid gap-2">
      <div className="flex flex-wrap gap-1.5" role="group" aria-label="By how it came to be, or by area">
        {CAME.map(([of, word]) => (
          <Plain key={of} onClick={() => choose({ kind: 'evidence', of })}>
            {word}
          </Plain>
        ))}
        {areas &&
          brief?.content.areas.map((a, i) => (
            <Plain key={a.name} onClick={() => byArea(i)}>
              {a.name}
            </Plain>
          ))}
      </div>
      {region && (
        <form
          className="flex items-center gap-2 text-[13px]"
          onSubmit={(e) => {
            e.preventDefault()
            void keep()
          }}
        >
          <input
            aria-label="Name of the part"
            placeholder="keep the part as…"
            value={name}
            maxLength={80}
            onChange={(e) => setName(e.target.value)}
            className="h-8 min-w-0 flex-1 rounded-md border border-hair bg-field px-2"
          />
          <Plain type="submit">Keep</Plain>
        </form>
      )}
      {kept.length > 0 && (
        <ul className="grid gap-1 text-[13px]" aria-label="Kept parts">
          {kept.map((k) => (
            <li key={k.name} className="flex items-center gap-1.5">
              <span className="min-w-0 flex-1 truncate">{k.name}</span>
              <Plain aria-label={`Choose “${k.name}” again`} onClick={() => choose(keptRegion(k, grown))}>
                Choose
              </Plain>
              <IconButton
                name={`Forget “${k.name}”`}
                onClick={() => attempt(() => save(kept.filter((o) => o.name !== k.name)))}
              >
                <X size={14} />
              </IconButton>
            </li>
          ))}
        </ul>
      )}
    </div>
  )
}
