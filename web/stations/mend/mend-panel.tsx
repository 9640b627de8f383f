'use client'
import { useState, type ComponentProps } from 'react'
import { FigureTable, Findings } from '@/components/finding'
import type { Fault } from '@holosoma/core/operations'
import { Group, NumberField, Plain, positiveNumber, Primary } from '@/components/ui'
import { areaText, grouped, mm, volumeText } from '@/lib/format'
import { attempt, submit, useBusy, useDesk } from '@/lib/store'
import { healthStep, onlyMeshOf } from '@/lib/chain'
import { judge } from '../road'
import { AreasOnSkin } from './areas-group'
import { FaultList } from './fault-list'
import { HandsGroup } from './hands-group'
import { HandleList } from './handle-list'
import { HoleList } from './hole-list'
import { faultsOf, handlesOf, holesOf } from './holes'
import { NoiseGroup } from './noise-group'
import { PartGroup } from './part-group'
import { PlaneCutGroup } from './plane-cut'
import { RecipeGroup } from './recipe-group'
import { RimsGroup } from './rims-group'
import { TrianglesGroup } from './triangles-group'

/** The main button, or a plain one under another. */
function ClosingButton({ isMain, ...props }: { isMain: boolean } & ComponentProps<typeof Plain>) {
  return isMain ? <Primary {...props} /> : <Plain className="mt-2 w-full py-2" {...props} />
}

/** A part by itself, a spike and a thin spot may be meant. */
const MAY_BE_MEANT: readonly Fault['kind'][] = ['loose', 'spike', 'thin']

/** Is the skin healthy? Holes, faults, fewer triangles. */
export function MendPanel() {
  const state = useDesk((d) => d.state)
  const set = useDesk((d) => d.set)
  const busy = useBusy()
  const checked = state.mesh ? healthStep(state.mesh.chain) : undefined
  const ask = (operation: string, params: object): Promise<void> => attempt(() => submit({ operation, params }))
  const onlyMesh = onlyMeshOf(state)
  const [thin, setThin] = useState('')
  if (!state.mesh) {
    return (
      <>
        <h2 className="mb-2 font-caption text-[21px] leading-tight font-semibold">Is the skin healthy?</h2>
        <p className="font-caption text-[16px]">There is no skin yet.</p>
        <div className="mt-3 grid gap-2">
          {onlyMesh && (
            <Primary
              disabled={busy}
              onClick={() => attempt(() => submit({ operation: 'skin.adopt', takeId: onlyMesh.id }))}
            >
              Use the mesh “{onlyMesh.name}” as the skin
            </Primary>
          )}
          {onlyMesh ? (
            <Plain onClick={() => set({ station: 'skin' })}>Make a new skin of it</Plain>
          ) : (
            <Primary onClick={() => set({ station: 'skin' })}>Go to Skin</Primary>
          )}
        </div>
      </>
    )
  }
  const f = checked?.figures
  const holes = Number(f?.holes ?? 0)
  const told = holes > 0 ? holesOf(state.mesh.chain) : []
  const faults = faultsOf(state.mesh.chain)
  // Points where rims touch are gone once the holes are closed.
  const isFaulty =
    faults.some(({ kind }) => !MAY_BE_MEANT.includes(kind) && (kind !== 'pinched' || holes === 0)) ||
    (f !== undefined && !f.closed && holes === 0)
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
              ...(f.thinUnderMm === undefined
                ? []
                : [
                    {
                      label: `Thinner than ${mm(Number(f.thinUnderMm))}`,
                      value:
                        Number(f.thinSpots) > 0
                          ? `${grouped(Number(f.thinSpots))} ${Number(f.thinSpots) === 1 ? 'place' : 'places'}, ${mm(Number(f.thinnestMm))} the least`
                          : 'nowhere',
                      rule: 'one ray a point, inwards to the other side. No fault; a printer may not hold it',
                    },
                  ]),
              { label: 'Surface', value: areaText(Number(f.areaMm2)) },
              { label: 'Volume', value: f.closed ? volumeText(Number(f.volumeMm3)) : 'not closed' },
            ]}
          />
          {isFaulty && (
            <Primary disabled={busy} onClick={() => ask('mend.heal', {})}>
              Cure what is safe
            </Primary>
          )}
          {holes > 0 && (
            <ClosingButton isMain={!isFaulty} disabled={busy} onClick={() => ask('mend.closeHoles', {})}>
              Close {holes === 1 ? 'the hole' : `all ${holes} holes`}
            </ClosingButton>
          )}
          {!isFaulty && holes === 0 && <Primary onClick={() => set({ station: 'size' })}>Go on to Size</Primary>}
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
        <FaultList faults={faults} />
        <HoleList holes={told} />
        <HandleList handles={handlesOf(state.mesh.chain)} />
        <RimsGroup holes={told} />
        <PartGroup />
        <HandsGroup />
        <PlaneCutGroup />
        <AreasOnSkin />
        <NoiseGroup />
        <TrianglesGroup />
        <RecipeGroup />
        {checked && (
          <Group title="Cure and check again">
            <Plain disabled={busy} onClick={() => ask('mend.heal', {})}>
              Cure what is safe
            </Plain>
            <p className="text-[13px] text-graphite">
              Takes out what is no face, turns faces alike, closes holes, takes crossings out with their surroundings,
              drops crumbs under a fiftieth of the piece; and says what is left.
            </p>
            <NumberField
              label="List what is thinner than"
              unit="mm"
              placeholder={f?.thinUnderMm === undefined ? '1' : String(Number(Number(f.thinUnderMm).toPrecision(3)))}
              value={thin}
              onChange={(e) => setThin(e.target.value)}
            />
            <Plain disabled={busy} onClick={() => ask('mend.health', { thinMm: positiveNumber(thin) })}>
              Check its health again
            </Plain>
          </Group>
        )}
      </div>
    </>
  )
}
