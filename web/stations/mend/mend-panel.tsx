'use client'
import { useState } from 'react'
import { FigureTable, Findings } from '@/components/finding'
import { Group, NumberField, Plain, positiveNumber, Primary } from '@/components/ui'
import { areaText, grouped, volumeText } from '@/lib/format'
import { attempt, submit, useBusy, useDesk } from '@/lib/store'
import { healthStep } from '@/lib/chain'
import { judge } from '../road'
import { AreasOnSkin } from './areas-group'
import { HoleList } from './hole-list'
import { holesOf } from './holes'
import { PartGroup } from './part-group'
import { PlaneCutGroup } from './plane-cut'
import { RecipeGroup } from './recipe-group'

/** Is the skin healthy? Holes, faults, fewer triangles. */
export function MendPanel() {
  const state = useDesk((d) => d.state)
  const set = useDesk((d) => d.set)
  const [limit, setLimit] = useState('')
  const [faces, setFaces] = useState('')
  const [deviation, setDeviation] = useState('')
  const busy = useBusy()
  const checked = state.mesh ? healthStep(state.mesh.chain) : undefined
  const ask = (operation: string, params: object): Promise<void> => attempt(() => submit({ operation, params }))
  if (!state.mesh) {
    return (
      <>
        <h2 className="mb-2 font-caption text-[21px] leading-tight font-semibold">Is the skin healthy?</h2>
        <p className="font-caption text-[16px]">There is no skin yet.</p>
        <div className="mt-3">
          <Primary onClick={() => set({ station: 'skin' })}>Go to Skin</Primary>
        </div>
      </>
    )
  }
  const f = checked?.figures
  const holes = Number(f?.holes ?? 0)
  return (
    <>
      <h2 className="mb-2 font-caption text-[21px] leading-tight font-semibold">Is the skin healthy?</h2>
      {checked && f ? (
        <>
          <Findings findings={judge(state, 'mend').findings} />
          <FigureTable
            figures={[
              { label: 'Triangles', value: grouped(Number(f.faces)) },
              {
                label: 'Holes',
                value:
                  holes > 0
                    ? holes
                    : Number(f.borderEdges ?? 0) > 0
                      ? `none whole; ${grouped(Number(f.borderEdges))} open edges`
                      : 'none',
                verdict: f.closed ? 'sound' : 'unsound',
                rule: 'loops of edges with one face',
              },
              {
                label: 'Crossings',
                value: grouped(Number(f.crossings)),
                verdict: Number(f.crossings) === 0 && f.crossingsComplete !== false ? 'sound' : 'doubtful',
                rule:
                  f.crossingsComplete === false
                    ? 'pairs of faces that cross, by exact tests; not all could be looked at'
                    : 'pairs of faces that cross, by exact tests',
              },
              {
                label: 'Faulty edges',
                value: grouped(Number(f.nonManifoldEdges) + Number(f.flippedEdges)),
                verdict: Number(f.nonManifoldEdges) + Number(f.flippedEdges) === 0 ? 'sound' : 'unsound',
              },
              {
                label: 'Parts, handles',
                value: `${f.components}, ${f.genus}`,
                rule: 'V − E + F = 2 (parts − handles)',
              },
              ...(f.sliverFaces === undefined
                ? []
                : [
                    {
                      label: 'Slivers, sharp bends',
                      value: `${grouped(Number(f.sliverFaces))}, ${grouped(Number(f.bentEdges))}`,
                      rule: 'triangles of a quality under 0.1; edges that bend over 60°. No fault; they look like freckles',
                    },
                  ]),
              { label: 'Surface', value: areaText(Number(f.areaMm2)) },
              { label: 'Volume', value: f.closed ? volumeText(Number(f.volumeMm3)) : 'not closed' },
            ]}
          />
          {holes > 0 ? (
            <Primary disabled={busy} onClick={() => ask('mend.closeHoles', {})}>
              Close {holes === 1 ? 'the hole' : `all ${holes} holes`}
            </Primary>
          ) : (
            <Primary onClick={() => set({ station: 'size' })}>Go on to Size</Primary>
          )}
        </>
      ) : (
        <>
          <p className="mb-3 font-caption text-[16px]">
            The skin has not been checked yet. The check counts holes, crossings, faulty edges and parts.
          </p>
          <Primary disabled={busy} onClick={() => ask('mend.health', {})}>
            Check its health
          </Primary>
        </>
      )}
      <div className="mt-3">
        <HoleList holes={holes > 0 ? holesOf(state.mesh.chain) : []} />
        <Group title="Holes up to a rim">
          <NumberField
            label="Longest rim to close"
            unit="mm"
            placeholder="all"
            value={limit}
            onChange={(e) => setLimit(e.target.value)}
          />
          <Plain disabled={busy} onClick={() => ask('mend.closeHoles', { perimeterMm: positiveNumber(limit) })}>
            Close them, following the curve
          </Plain>
          <p className="text-[13px] text-graphite">
            What is closed counts as invented. A large unseen part is better taken again.
          </p>
        </Group>
        <PartGroup />
        <PlaneCutGroup />
        <AreasOnSkin />
        <Group title="Fewer triangles">
          <NumberField label="Triangles to keep" value={faces} onChange={(e) => setFaces(e.target.value)} />
          <NumberField
            label="or move at most"
            unit="mm"
            value={deviation}
            onChange={(e) => setDeviation(e.target.value)}
          />
          <Plain
            disabled={busy}
            onClick={() =>
              positiveNumber(faces) === null && positiveNumber(deviation) === null
                ? attempt(() =>
                    Promise.reject(new Error('Say how many triangles to keep, or how far the surface may move.')),
                  )
                : ask('mend.simplify', {
                    faces: positiveNumber(faces) === null ? null : Math.round(positiveNumber(faces)!),
                    deviationMm: positiveNumber(deviation),
                  })
            }
          >
            Simplify
          </Plain>
        </Group>
        <RecipeGroup />
        {checked && (
          <Group title="Check again">
            <Plain disabled={busy} onClick={() => ask('mend.health', {})}>
              Check its health again
            </Plain>
          </Group>
        )}
      </div>
    </>
  )
}
