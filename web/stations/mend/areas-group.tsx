'use client'
import { Brush } from 'lucide-react'
import { useEffect, useState } from 'react'
import { RANK_WORDS } from '@holosoma/core/brief'
import { mm } from '@holosoma/core/findings'
import type { CarriedAreas } from '@holosoma/core/plan'
import { Group, NumberField, Plain, positiveNumber, Tick, VerdictMark } from '@/components/ui'
import { areaColour, areasOnSkin, frameOf, layAreas, tintOf } from '@/lib/areas'
import { areaText } from '@/lib/format'
import { attempt, useDesk } from '@/lib/store'

/** Of the piece's size: a stand-in that lies farther off is no likeness of it. */
const NO_LIKENESS = 0.05

/** The areas of the brief on the skin: laid on by the stand-in, put right by hand, the same on every skin to come. */
export function AreasOnSkin() {
  const state = useDesk((d) => d.state)
  const brush = useDesk((d) => d.areaBrush)
  const brushMm = useDesk((d) => d.areaBrushMm)
  const set = useDesk((d) => d.set)
  const [shown, setShown] = useState(true)
  const [laying, setLaying] = useState(false)
  const [sizes, setSizes] = useState<readonly number[] | null>(null)
  const brief = state.brief?.content
  const carried = state.areas?.content
  const hash = state.mesh?.shape.hash
  const key = `${hash} ${state.areas?.stepId}.${state.areas?.revision} ${state.brief?.stepId}.${state.brief?.revision}`
  useEffect(() => {
    if (!brief || !carried || !hash || !shown) return
    let current = true
    areasOnSkin(useDesk.getState().state, carried, brief).then(
      ({ areaOf, sizesMm2 }) => {
        if (!current) return
        setSizes(sizesMm2)
        set({ skinTint: { hash, tint: tintOf(areaOf, brief.areas.length) } })
      },
      (e: Error) => current && set({ error: e.message }),
    )
    return () => {
      current = false
    }
    // eslint-disable-next-line react-hooks/exhaustive-deps -- the key says it all
  }, [key, shown, set])
  useEffect(() => () => set({ skinTint: null }), [set])
  if (!brief || brief.areas.length === 0 || !hash) return null
  const painted = brief.areas.some((a) => a.place === 'painted' && !!a.strokes?.length)
  const doubt = carried && painted ? doubtOf(carried) : ''
  const elsewhere = carried?.frame !== undefined && carried.frame !== frameOf(state)
  return (
    <Group title="Areas of the brief">
      <ul className="grid gap-1 text-[13px]" aria-label="Areas of the brief">
        {brief.areas.map((a, i) => (
          <li key={a.name} className="flex items-center gap-2">
            <span aria-hidden="true" className="h-3.5 w-3.5 rounded-sm" style={{ background: areaColour(i) }} />
            <span className="min-w-0 flex-1">
              {a.name} <span className="text-graphite">{RANK_WORDS[a.rank]}</span>
            </span>
            {carried && shown && sizes && <span className="figure">{areaText(sizes[i] ?? 0)}</span>}
          </li>
        ))}
      </ul>
      {carried && (
        <p className="grid grid-cols-[18px_1fr] gap-1.5 text-[13px]">
          <span className="pt-0.5">
            <VerdictMark verdict={doubt === '' && !elsewhere ? 'sound' : 'doubtful'} />
          </span>
          <span>
            {elsewhere && 'They were laid and painted when the skin lay elsewhere: lay them on again, and paint anew. '}
            {brief.areas.some((a) => a.place !== 'painted') &&
              'Sides, heights and hollows are read off the skin itself. '}
            {painted &&
              `What was painted on the stand-in is carried over; that lies ${mm(carried.offMm)} from the skin on average${doubt}.`}
          </span>
        </p>
      )}
      <Plain
        disabled={laying}
        onClick={() =>
          attempt(async () => {
            setLaying(true)
            await layAreas().finally(() => setLaying(false))
            setShown(true)
          })
        }
      >
        {laying ? 'Looking where the stand-in lies…' : carried ? 'Lay them on again' : 'Lay them on the skin'}
      </Plain>
      {carried && (
        <>
          <Tick
            checked={shown}
            onChange={(v) => {
              setShown(v)
              if (!v) set({ skinTint: null, areaBrush: null })
            }}
          >
            Show them
          </Tick>
          <div className="flex flex-wrap gap-1.5" role="group" aria-label="Paint by hand">
            {[...brief.areas.map((a) => a.name), null].map((name) => {
              const on = brush !== null && brush.area === name
              return (
                <Plain
                  key={name ?? ''}
                  aria-pressed={on}
                  className={`flex items-center gap-1.5 px-2 ${on ? 'border-woad text-woad' : ''}`}
                  onClick={() => {
                    setShown(true)
                    set({ areaBrush: on ? null : { area: name }, partTool: null, handBrush: null })
                  }}
                >
                  <Brush size={14} aria-hidden="true" /> {name ?? 'no area'}
                </Plain>
              )
            })}
          </div>
          {brush && (
            <>
              <NumberField
                label="Brush"
                unit="mm"
                value={brushMm}
                onChange={(e) => set({ areaBrushMm: e.target.value })}
              />
              <p className="text-[13px] text-graphite">
                {positiveNumber(brushMm) === null
                  ? 'The brush must be wider than 0 mm.'
                  : `Click on the skin: what lies within the brush is ${brush.area === null ? 'taken out of all areas' : `“${brush.area}”`}.`}
              </p>
            </>
          )}
        </>
      )}
      <p className="text-[13px] text-graphite">
        They belong to the piece: a new skin, another spacing or size has them in the same places.
      </p>
    </Group>
  )
}

/** What is not certain about how the stand-in lies, in words; '' for nothing. */
function doubtOf({ anyAngle, alsoAtDeg, off }: CarriedAreas): string {
  if (anyAngle) return ', and as well turned to any side: paint again what is not all round'
  if (alsoAtDeg.length > 0)
    return `, and as well turned by ${alsoAtDeg.map((d) => `${d}°`).join(', ')}: look at each area`
  return off > NO_LIKENESS ? ': no likeness, so look at each area' : ''
}
