'use client'
import { Crosshair, Trash2 } from 'lucide-react'
import { useEffect, useState } from 'react'
import { fitScale, scaleDoubt, unitSlip } from '@holosoma/core/measure'
import { FigureTable, Findings } from '@/components/finding'
import { Group, IconButton, NumberField, Plain, positiveNumber, Primary } from '@/components/ui'
import { mm } from '@/lib/format'
import type { Reading } from '@/stations/size/desk'
import { attempt, submit, useBusy, useDesk } from '@/lib/store'
import { judge } from '../road'
import { ListedReadings } from './listed-readings'

const length = (r: Pick<Reading, 'from' | 'to'>): number =>
  Math.hypot(r.from[0] - r.to[0], r.from[1] - r.to[1], r.from[2] - r.to[2])

/** Is it the true size? Calliper readings against distances on the mesh. */
export function SizePanel() {
  const state = useDesk((d) => d.state)
  const sizing = useDesk((d) => d.sizing)
  const sizeFor = useDesk((d) => d.sizeFor)
  const points = useDesk((d) => d.sizePoints)
  const readings = useDesk((d) => d.readings)
  const set = useDesk((d) => d.set)
  const [reading, setReading] = useState('')
  const [uncertainty, setUncertainty] = useState('0.05')
  const busy = useBusy()
  const listed = state.brief?.content.callipers ?? []
  const of = listed.find((c) => c.name === sizeFor)
  // A distance of the list brings what was read of it.
  useEffect(() => {
    if (!of) return
    setReading(of.readingMm === null ? '' : String(of.readingMm))
    if (of.uncertaintyMm !== null) setUncertainty(String(of.uncertaintyMm))
  }, [of])
  const scaled = state.mesh ? [...state.mesh.chain].reverse().find((s) => s.operation === 'size.scale') : undefined
  const bounds = state.mesh?.shape.bounds
  if (!state.mesh || !bounds) {
    return (
      <>
        <h2 className="mb-2 font-caption text-[21px] leading-tight font-semibold">Is it the true size?</h2>
        <p className="font-caption text-[16px]">There is no skin yet to measure.</p>
        <div className="mt-3">
          <Primary onClick={() => set({ station: 'skin' })}>Go to Skin</Primary>
        </div>
      </>
    )
  }
  const value = positiveNumber(reading)
  const u = Number(uncertainty.replace(',', '.'))
  const picked = points.length === 2 ? length({ from: points[0].at, to: points[1].at }) : null
  const add = (): Promise<void> =>
    attempt(async () => {
      if (picked === null) throw new Error('Pick two points on the piece first.')
      if (value === null) throw new Error('Type the calliper reading in mm, larger than 0.')
      if (!(u >= 0)) throw new Error('The uncertainty must be 0 mm or more.')
      set({
        readings: [
          ...readings.filter((r) => !of || r.name !== of.name),
          {
            ...(of && { name: of.name }),
            from: points[0].at,
            to: points[1].at,
            readingMm: value,
            uncertaintyMm: u,
          },
        ],
        sizePoints: [],
        sizing: false,
        sizeFor: null,
      })
      setReading('')
    })
  const fit = readings.length > 0 ? fitScale(readings) : null
  // What is doubtful is asked about before anything is done, not after.
  const doubted = fit && scaleDoubt(fit.factor, readings.length)
  const scale = (despite: boolean): Promise<void> =>
    attempt(async () => {
      const pairs = readings.map((r) => ({
        ...(r.name !== undefined && { name: r.name }),
        from: [...r.from],
        to: [...r.to],
        readingMm: r.readingMm,
        uncertaintyMm: r.uncertaintyMm,
      }))
      await submit({ operation: 'size.scale', params: { pairs, despite } })
      set({ readings: [], sizePoints: [] })
    })
  const slip = picked !== null && value !== null ? unitSlip(value / picked) : null
  return (
    <>
      <h2 className="mb-2 font-caption text-[21px] leading-tight font-semibold">Is it the true size?</h2>
      {scaled ? (
        <>
          <Findings findings={judge(state, 'size').findings} />
          <p className="figure mt-1 text-[13px] text-graphite">
            now {bounds.max.map((v, i) => (v - bounds.min[i]).toFixed(2)).join(' × ')} mm
          </p>
        </>
      ) : (
        <p className="font-caption text-[16px] leading-[1.42]">
          As scanned, the piece is {bounds.max.map((v, i) => (v - bounds.min[i]).toFixed(1)).join(' × ')} mm. Check it
          against calliper readings: pick two points, type the reading.
        </p>
      )}
      <div className="mt-3">
        <ListedReadings listed={listed} />
      </div>
      <div className="mt-3 grid gap-2">
        <Plain
          className={`flex items-center justify-center gap-1.5 py-2 ${sizing ? 'border-woad text-woad' : ''}`}
          aria-pressed={sizing}
          onClick={() => set({ sizing: !sizing, sizeFor: null, sizePoints: [] })}
        >
          <Crosshair size={15} aria-hidden="true" />{' '}
          {sizing
            ? `Click point ${points.length + 1} on the piece`
            : picked !== null
              ? 'Pick again'
              : 'Pick two points'}
        </Plain>
        {picked !== null && (
          <div className="grid gap-2 rounded-md border border-hair p-2.5">
            <p className="flex justify-between text-[13px]">
              <span>{of ? `${of.name}, on the mesh` : 'On the mesh'}</span>
              <b className="figure" data-testid="mesh-distance">
                {mm(picked)}
              </b>
            </p>
            <NumberField
              label="Calliper reading"
              unit="mm"
              value={reading}
              onChange={(e) => setReading(e.target.value)}
              autoFocus
            />
            <NumberField
              label="± uncertainty"
              unit="mm"
              value={uncertainty}
              onChange={(e) => setUncertainty(e.target.value)}
            />
            {slip && (
              <p className="text-[13px] text-ochre">
                Reading and mesh differ{' '}
                {slip.factor >= 1
                  ? `× ${Number(slip.factor.toPrecision(3))}`
                  : `÷ ${Number((1 / slip.factor).toPrecision(3))}`}
                : {slip.text}.
              </p>
            )}
            <Plain onClick={add}>Add this reading</Plain>
          </div>
        )}
      </div>
      {readings.length > 0 && fit && (
        <div className="mt-3">
          <ol className="grid gap-1" aria-label="Readings">
            {readings.map((r, i) => (
              <li key={i} className="figure flex items-center gap-2 border-b border-rule text-[12.5px]">
                <span className="flex-1">
                  {r.name && <b className="font-semibold">{r.name} </b>}
                  {mm(length(r))} → {r.readingMm.toFixed(2)} ± {r.uncertaintyMm.toFixed(2)} mm
                </span>
                <IconButton
                  name={`Remove reading ${i + 1}`}
                  onClick={() => set({ readings: readings.filter((_, k) => k !== i) })}
                >
                  <Trash2 size={15} />
                </IconButton>
              </li>
            ))}
          </ol>
          <FigureTable
            figures={[
              {
                label: 'Scale',
                value: `${fit.factor.toFixed(5)} ± ${fit.halfWidth95.toFixed(5)}`,
                rule: 'weighted least squares; 95 % interval by JCGM 100:2008',
              },
            ]}
          />
          {doubted ? (
            <div
              role="alert"
              data-testid="slip"
              className="my-2 rounded-md border border-ochre/60 bg-card px-3 py-2 text-[13.5px]"
            >
              <p>
                The readings are {Number(fit.factor.toPrecision(3))} times what the mesh measures: {doubted}. Is a
                reading off by a decimal place? Nothing is scaled before you say which it is.
              </p>
              <Plain className="mt-2" disabled={busy} onClick={() => scale(true)}>
                The readings are right: scale × {Number(fit.factor.toPrecision(3))}
              </Plain>
            </div>
          ) : (
            <Primary disabled={busy} onClick={() => scale(false)}>
              Bring it to size
            </Primary>
          )}
        </div>
      )}
      {readings.length === 0 && picked === null && (
        <Primary className="mt-2" onClick={() => set({ station: 'release', sizing: false })}>
          Go on to Release
        </Primary>
      )}
      <div className="mt-3">
        <Group title="A wrong unit">
          <p className="text-[13px] text-graphite">
            A file read in the wrong unit is off by a round factor. This multiplies everything, and is written down.
          </p>
          <div className="grid grid-cols-3 gap-2">
            {(
              [
                ['m → mm', 1000],
                ['in → mm', 25.4],
                ['cm → mm', 10],
                ['µm → mm', 0.001],
                ['mm read as in', 1 / 25.4],
                ['mm read as cm', 0.1],
              ] as const
            ).map(([label, factor]) => (
              <Plain
                key={label}
                disabled={busy}
                onClick={() => attempt(() => submit({ operation: 'size.scale', params: { factor } }))}
              >
                {label}
              </Plain>
            ))}
          </div>
        </Group>
      </div>
    </>
  )
}
