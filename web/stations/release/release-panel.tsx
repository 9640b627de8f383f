'use client'
import { Download, FileText } from 'lucide-react'
import { useState } from 'react'
import { Findings } from '@/components/finding'
import { Group, Primary, RadioList, VerdictMark } from '@/components/ui'
import { grouped } from '@/lib/format'
import { useDesk } from '@/lib/store'
import { healthStep } from '@/lib/chain'
import { deliverablesOf } from '@holosoma/core/brief'
import { briefChecks } from '@/lib/facts'
import { colourStep } from '../colour/told'
import { judge } from '../road'

const FORMATS = [
  ['stl', 'STL', 'for printing'],
  ['ply', 'PLY', 'with evidence'],
  ['obj', 'OBJ', 'for most programs'],
  ['glb', 'GLB', 'for screens, in metres'],
] as const
const UNITS = ['mm', 'cm', 'm', 'in'] as const

/** Files and the record that goes with them. */
export function ReleasePanel() {
  const state = useDesk((d) => d.state)
  const set = useDesk((d) => d.set)
  const asked = state.brief ? deliverablesOf(state.brief.content) : []
  const checks = briefChecks(state)
  const [chosen, setFormat] = useState<string | null>(null)
  const format = chosen ?? asked[0]?.format ?? 'stl'
  const [unit, setUnit] = useState('mm')
  if (!state.mesh) {
    return (
      <>
        <h2 className="mb-2 font-caption text-[21px] leading-tight font-semibold">What leaves the bench?</h2>
        <p className="font-caption text-[16px]">There is no skin yet to release.</p>
        <div className="mt-3">
          <Primary onClick={() => set({ station: 'skin' })}>Go to Skin</Primary>
        </div>
      </>
    )
  }
  const bounds = state.mesh.shape.bounds!
  const checked = healthStep(state.mesh.chain)
  return (
    <>
      <h2 className="mb-2 font-caption text-[21px] leading-tight font-semibold">What leaves the bench?</h2>
      <p className="font-caption text-[16px] leading-[1.42]">
        {grouped(state.mesh.shape.faces)} triangles,{' '}
        {bounds.max.map((v, i) => (v - bounds.min[i]).toFixed(1)).join(' × ')} mm.{' '}
        {checked ? (checked.figures.closed ? 'Closed.' : 'Not closed: a printer needs it closed.') : ''}
      </p>
      <Findings findings={judge(state, 'release').findings} />
      {asked.length > 0 && (
        <div className="mt-3">
          <Group title="What the brief asks for" open>
            <ul className="grid gap-1.5 text-[13.5px]" aria-label="What the brief asks for">
              {asked.map((d) => {
                const check = checks.find((c) => c.id === `release.${d.id}`)
                return (
                  <li key={d.id} className="grid grid-cols-[18px_1fr_auto] items-start gap-1.5">
                    <span className="pt-0.5">
                      <VerdictMark verdict={check?.verdict ?? null} />
                    </span>
                    <span>
                      <b className="font-medium">{d.file}</b> <span className="text-graphite">{d.why}</span>
                      {check && (
                        <span className="block text-graphite">
                          {check.verdict ? `${check.verdict}: ${check.found}` : check.found}
                        </span>
                      )}
                    </span>
                    <button
                      type="button"
                      aria-pressed={format === d.format}
                      onClick={() => setFormat(d.format)}
                      className="min-h-8 rounded border border-hair px-2 text-[12.5px] hover:border-graphite aria-pressed:border-ink aria-pressed:bg-paper"
                    >
                      {d.format.toUpperCase()}
                    </button>
                  </li>
                )
              })}
            </ul>
          </Group>
        </div>
      )}
      <p className="mt-3 mb-1 text-[13px] font-medium">File</p>
      <RadioList
        label="File"
        value={format}
        options={FORMATS.map(([v, word, note]) => ({ value: v, word, note }))}
        onChange={setFormat}
      />
      {format === 'obj' && state.mesh && colourStep(state.mesh.chain) && (
        <p className="mt-1.5 text-[12.5px] text-graphite">With its materials and its picture, as one archive.</p>
      )}
      {format !== 'glb' && (
        <>
          <p className="mt-3 mb-1 text-[13px] font-medium">Unit of the numbers in it</p>
          <RadioList
            label="Unit of the numbers in it"
            value={unit}
            options={UNITS.map((u) => ({ value: u, word: u }))}
            onChange={setUnit}
            className="grid grid-cols-4 gap-1.5"
          />
        </>
      )}
      <a
        href={`/api/pieces/${state.piece.id}/release?format=${format}&unit=${unit}`}
        download
        className="mt-3 flex min-h-9 w-full items-center justify-center gap-2 rounded-[7px] bg-verdigris px-4 py-2 font-semibold text-white hover:bg-verdigris-deep"
      >
        <Download size={16} aria-hidden="true" /> Download {format.toUpperCase()}
      </a>
      <a
        href={`/pieces/${state.piece.id}/report`}
        target="_blank"
        rel="noreferrer"
        className="mt-2 flex min-h-9 items-center justify-center gap-2 rounded-md border border-hair bg-card text-[13px] hover:border-graphite"
      >
        <FileText size={15} aria-hidden="true" /> Report of what was done
      </a>
      <p className="mt-3 text-[13px] text-graphite">
        A reconstruction must not pass as a record: say what was filled. A printed copy is not a safety-rated part: no
        load, food, medical or child use without a qualified assessment. Copying may need the rights-holder’s
        permission.
      </p>
    </>
  )
}
