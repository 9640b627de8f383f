'use client'
import { useEffect, useState } from 'react'
import { FigureTable, Findings } from '@/components/finding'
import { Choice, Group, NumberField, Plain, positiveNumber, Primary, Told } from '@/components/ui'
import { megabytes, mm, percent } from '@/lib/format'
import { attempt, submit, useBusy, useDesk } from '@/lib/store'
import { judge } from '../road'
import { knownPhotos } from './known-photos'
import { colourStep } from './told'

const DENSITIES = [
  [70, '70 an inch'],
  [100, '100 an inch'],
  [150, '150 an inch'],
  [300, '300 an inch'],
] as const
const INCH_MM = 25.4

/** What colour is it? Photos on the skin. */
export function ColourPanel() {
  const state = useDesk((d) => d.state)
  const set = useDesk((d) => d.set)
  const busy = useBusy()
  const [dpi, setDpi] = useState<number>(100)
  const [sheet, setSheet] = useState('')
  const { mesh } = state
  const step = mesh ? colourStep(mesh.chain) : undefined
  // Once it is coloured, the colour is what is looked at here.
  useEffect(() => {
    if (step) set({ view: 'colour' })
  }, [step?.id, set]) // eslint-disable-line react-hooks/exhaustive-deps -- the step by its number
  if (!mesh)
    return (
      <>
        <Title />
        <p className="font-caption text-[16px]">There is no skin yet to be coloured.</p>
        <div className="mt-3">
          <Primary onClick={() => set({ station: 'skin' })}>Go to Skin</Primary>
        </div>
      </>
    )
  const { known, takes } = knownPhotos(state)
  const bake = (): Promise<void> =>
    attempt(async () => {
      const sheetPx = positiveNumber(sheet)
      if (sheet.trim() !== '' && sheetPx === null)
        throw new Error('The edge of the sheet is a whole number of texels, or left empty.')
      await submit({
        operation: 'colour.bake',
        params: sheetPx === null ? { dpi } : { sheetPx: Math.round(sheetPx) },
      })
    })
  return (
    <>
      <Title />
      {step ? (
        <>
          <Findings findings={judge(state, 'colour').findings} />
          <div className="mt-3">
            <FigureTable
              figures={[
                {
                  label: 'seen by photos',
                  value: percent(Number(step.figures.seen)),
                  rule: 'share of the surface whose texels all have a photo',
                },
                {
                  label: 'invented',
                  value: percent(Number(step.figures.invented)),
                  rule: 'no photo shows it: smoothly from its rim',
                },
                { label: 'photos used', value: `${String(step.figures.usedPhotos)} of ${String(step.figures.photos)}` },
                {
                  label: 'picture, texels',
                  value: `${String(step.figures.sheetPx)} × ${String(step.figures.sheetPx)}`,
                },
                { label: 'a texel', value: mm(Number(step.figures.texelMm), 2) },
                { label: 'sheet covered', value: percent(Number(step.figures.use)) },
                { label: 'the picture as a file', value: megabytes(Number(step.figures.pictureBytes)) },
                {
                  label: 'photos differ by',
                  value: percent(Number(step.figures.spread)),
                  rule: 'of the light of one place, once exposures and the light of the bench are taken off: median',
                },
              ]}
            />
          </div>
        </>
      ) : (
        <p className="font-caption text-[16px] leading-[1.42]">
          {known.length > 0
            ? 'Each place takes its colour from the photos that show it best, freed of their exposures and of the light ' +
              'that fell on it. What no photo shows is coloured from its rim, and marked as invented.'
            : 'Photos of a turn give the skin its colour. There are none yet that can be laid on it.'}
        </p>
      )}
      <div className="h-3" />
      <Group title={`Photos: ${known.length} of ${state.photos.length} can be laid on it`}>
        <ul className="grid gap-1.5 text-[13.5px]" aria-label="Photos by take">
          {takes.map((t) => (
            <li key={t.name}>
              {t.why === null ? (
                <span>
                  “{t.name}”: <span className="figure">{t.known}</span>
                </span>
              ) : (
                <Told verdict="doubtful">{`“${t.name}”: ${t.known}; of the others, ${t.why}.`}</Told>
              )}
            </li>
          ))}
        </ul>
        {known.length === 0 && (
          <Plain className="mt-2 w-full" onClick={() => set({ station: 'take' })}>
            Take photos at Take
          </Plain>
        )}
        {state.session.coats > 0 && (
          <Told verdict="doubtful">
            The piece was coated in this session: photos taken since show the coat, not the piece.
          </Told>
        )}
      </Group>
      <Group title="How fine">
        <label className="flex items-center gap-1.5 text-[13.5px]">
          Texels
          <Choice value={dpi} options={DENSITIES} onChange={(v) => setDpi(v)} className="figure" />
          <span className="figure text-graphite">{mm(INCH_MM / dpi, 2)} each</span>
        </label>
        <NumberField
          label="or a sheet of so many texels a side"
          value={sheet}
          onChange={(e) => setSheet(e.target.value)}
        />
      </Group>
      <div className="mt-3">
        <Primary disabled={busy || known.length === 0} onClick={bake}>
          {step ? `Colour it again from ${known.length} photos` : `Colour it from ${known.length} photos`}
        </Primary>
      </div>
    </>
  )
}

const Title = () => <h2 className="mb-2 font-caption text-[21px] leading-tight font-semibold">What colour is it?</h2>
