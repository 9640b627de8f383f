'use client'
import { useState } from 'react'
import { isRecipe } from '@holosoma/core/operations'
import type { ResultState } from '@holosoma/engine'
import { Choice, Group, Plain, Tick } from '@/components/ui'
import { api } from '@/lib/api'
import { attempt, useBusy, useDesk } from '@/lib/store'

/** Of another piece: its name and its results that something was done on. */
interface Like {
  readonly id: number
  readonly name: string
  readonly results: readonly ResultState[]
}

const actsOf = (r: ResultState): ResultState['chain'] => r.chain.filter((s) => isRecipe(s.operation))

/** What was done on another piece of the same kind, done on this one as well. */
export function RecipeGroup() {
  const here = useDesk((d) => d.state.piece.id)
  const mesh = useDesk((d) => d.state.mesh)
  const [pieces, setPieces] = useState<readonly { id: number; name: string }[] | null>(null)
  const [like, setLike] = useState<Like | null>(null)
  const [of, setOf] = useState<number | null>(null)
  const [leave, setLeave] = useState<readonly number[]>([])
  const busy = useBusy()
  if (!mesh) return null
  const look = (): Promise<void> =>
    attempt(async () => setPieces((await api.pieces()).filter((p) => p.id !== here && !p.binned)))
  const take = (id: number): Promise<void> =>
    attempt(async () => {
      const results = (await api.resultsOf(id)).filter((r) => actsOf(r).length > 0)
      setLike({ id, name: pieces!.find((p) => p.id === id)!.name, results })
      setOf(results[0]?.id ?? null)
      setLeave([])
    })
  const result = like?.results.find((r) => r.id === of)
  const acts = result ? actsOf(result) : []
  const wanted = acts.filter((a) => !leave.includes(a.id)).length
  return (
    <Group title="As on another piece">
      {!pieces ? (
        <Plain onClick={look}>Choose a piece of the same kind</Plain>
      ) : pieces.length === 0 ? (
        <p className="text-[13px]">There is no other piece on the shelf.</p>
      ) : (
        <Choice
          label="The other piece"
          value={like?.id ?? 0}
          options={[[0, 'which piece?'] as const, ...pieces.map((p) => [p.id, p.name] as const)]}
          onChange={(id) => id !== 0 && void take(id)}
        />
      )}
      {like && like.results.length > 1 && (
        <Choice
          label="Its result"
          value={of ?? 0}
          options={like.results.map((r) => [r.id, r.name] as const)}
          onChange={(id) => {
            setOf(id)
            setLeave([])
          }}
        />
      )}
      {like && acts.length === 0 && <p className="text-[13px]">Nothing was mended on “{like.name}”.</p>}
      {acts.length > 0 && (
        <>
          <ol className="grid" aria-label="Done there">
            {acts.map(({ id, description }) => (
              <li key={id}>
                <Tick
                  checked={!leave.includes(id)}
                  onChange={(on) => setLeave(on ? leave.filter((s) => s !== id) : [...leave, id])}
                >
                  {description}
                </Tick>
              </li>
            ))}
          </ol>
          <Plain disabled={busy || wanted === 0} onClick={() => attempt(() => api.doAgain(mesh.id, leave, result!.id))}>
            Do {wanted === 1 ? 'this' : `these ${wanted}`} here, too
          </Plain>
        </>
      )}
      <p className="text-[13px] text-graphite">
        Where this piece lies to the other is found by their shapes. What does not fit changes nothing, and is told.
        Size is not taken over: readings belong to the piece they were taken on.
      </p>
    </Group>
  )
}
