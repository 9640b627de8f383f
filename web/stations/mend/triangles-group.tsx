'use client'
import { useState } from 'react'
import { Choice, Group, NumberField, Plain, positiveNumber, Tick } from '@/components/ui'
import { attempt, submit, useBusy } from '@/lib/store'

const KINDS = [
  ['stl', 'STL'],
  ['ply', 'PLY'],
  ['obj', 'OBJ'],
  ['glb', 'GLB'],
] as const

const refuse = (sentence: string): Promise<void> => attempt(() => Promise.reject(new Error(sentence)))

/** Fewer triangles, other ones, more of them. */
export function TrianglesGroup() {
  const [faces, setFaces] = useState('')
  const [deviation, setDeviation] = useState('')
  const [megabytes, setMegabytes] = useState('')
  const [kind, setKind] = useState<(typeof KINDS)[number][0]>('stl')
  const [edge, setEdge] = useState('')
  const [flat, setFlat] = useState(false)
  const busy = useBusy()
  const ask = (operation: string, params: object): Promise<void> => attempt(() => submit({ operation, params }))
  const simplify = (): Promise<void> => {
    const [wanted, moved, room] = [faces, deviation, megabytes].map(positiveNumber)
    if (wanted === null && moved === null && room === null)
      return refuse('Say how many triangles to keep, how far the surface may move, or how large the file may be.')
    return ask('mend.simplify', {
      faces: wanted === null ? null : Math.round(wanted),
      deviationMm: moved,
      ...(room !== null && { fileBytes: Math.round(room * 1e6), fileKind: kind }),
    })
  }
  const remesh = (): Promise<void> => {
    const edgeMm = positiveNumber(edge)
    if (edgeMm === null) return refuse('Say how long the edges of the triangles shall be.')
    return ask('mend.remesh', { edgeMm, largeWhereFlat: flat })
  }
  return (
    <>
      <Group title="Fewer triangles">
        <NumberField label="Triangles to keep" value={faces} onChange={(e) => setFaces(e.target.value)} />
        <NumberField
          label="or move at most"
          unit="mm"
          value={deviation}
          onChange={(e) => setDeviation(e.target.value)}
        />
        <NumberField
          label="or a file of at most"
          unit="MB"
          value={megabytes}
          onChange={(e) => setMegabytes(e.target.value)}
        />
        {megabytes !== '' && (
          <label className="flex items-center gap-1.5 text-[13px]">
            As
            <Choice value={kind} options={KINDS} onChange={setKind} />
          </label>
        )}
        <Plain disabled={busy} onClick={simplify}>
          Simplify
        </Plain>
      </Group>
      <Group title="Other triangles">
        <NumberField label="Edges of about" unit="mm" value={edge} onChange={(e) => setEdge(e.target.value)} />
        <Tick checked={flat} onChange={setFlat}>
          Larger where it is flat
        </Tick>
        <Plain disabled={busy} onClick={remesh}>
          Lay even triangles
        </Plain>
        <p className="text-[13px] text-graphite">Points stay on the surface as it is; sharp edges stay lines.</p>
        <Plain disabled={busy} onClick={() => ask('mend.refine', {})}>
          Make four of each
        </Plain>
      </Group>
    </>
  )
}
