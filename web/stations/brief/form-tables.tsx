'use client'
import { Plus, Trash2 } from 'lucide-react'
import { Controller, useFieldArray, useFormContext } from 'react-hook-form'
import {
  AREA_RANKS,
  FINISHES,
  PERMISSIONS,
  PLACES,
  TONES,
  type Brief,
  FINISH_WORDS,
  PERMISSION_WORDS,
  PLACE_WORDS,
  RANK_WORDS,
  TONE_WORDS,
} from '@holosoma/core/brief'
import { IconButton, Plain } from '@/components/ui'
import { Block, Choice, Num, Tick, Words } from './form-fields'

/* The lists of the brief: zones, areas, permissions, distances. */

const heading = 'text-left text-[12.5px] font-normal text-graphite'

export function Zones() {
  const { control } = useFormContext<Brief>()
  const { fields, append, remove } = useFieldArray({ control, name: 'zones' as never })
  return (
    <Block
      title="Surface, zone by zone"
      action={
        <Add
          label="Add a zone"
          onClick={() =>
            append({
              name: `zone ${fields.length + 1}`,
              material: '',
              sharePercent: 10,
              finish: 'matt',
              tone: 'middle',
              contrast: false,
            })
          }
        />
      }
    >
      <div className="grid grid-cols-[1.2fr_1.1fr_78px_1.2fr_1fr_76px_32px] items-start gap-x-2 gap-y-1.5">
        {['Zone', 'Material', 'Share %', 'Finish', 'Tone', 'Contrast', ''].map((h) => (
          <span key={h} className={heading}>
            {h}
          </span>
        ))}
        {fields.map((f, i) => (
          <div key={f.id} className="contents" data-testid="zone">
            <Words name={`zones.${i}.name`} label={`Name of zone ${i + 1}`} placeholder="glazed band" />
            <Words name={`zones.${i}.material`} label={`Material of zone ${i + 1}`} placeholder="earthenware" />
            <Num bare name={`zones.${i}.sharePercent`} label={`Share of zone ${i + 1}`} unit="" />
            <Choice
              name={`zones.${i}.finish`}
              label={`Finish of zone ${i + 1}`}
              options={FINISHES}
              words={FINISH_WORDS}
            />
            <Choice name={`zones.${i}.tone`} label={`Tone of zone ${i + 1}`} options={TONES} words={TONE_WORDS} />
            <Tick name={`zones.${i}.contrast`} label="print" />
            <Gone label={`Remove zone ${i + 1}`} onClick={() => remove(i)} />
          </div>
        ))}
      </div>
    </Block>
  )
}

export function Areas() {
  const { control, watch } = useFormContext<Brief>()
  const { fields, append, remove } = useFieldArray({ control, name: 'areas' as never })
  const areas = watch('areas')
  return (
    <Block
      title="Which areas matter?"
      action={
        <Add
          label="Add an area"
          onClick={() =>
            append({
              name: `area ${fields.length + 1}`,
              rank: 'must',
              place: 'whole',
              fromMm: null,
              toMm: null,
            })
          }
        />
      }
    >
      {fields.length === 0 && (
        <p className="text-[13.5px] text-graphite">
          All of it matters alike. Name areas that must hold, may be left, or will be cut off; paint them on the
          stand-in at Plan.
        </p>
      )}
      <div className="grid gap-1.5">
        {fields.map((f, i) => (
          <div key={f.id} className="grid grid-cols-[1.2fr_1fr_1.3fr_1.3fr_32px] items-start gap-2" data-testid="area">
            <Words name={`areas.${i}.name`} label={`Name of area ${i + 1}`} placeholder="inscription" />
            <Choice name={`areas.${i}.rank`} label={`Rank of area ${i + 1}`} options={AREA_RANKS} words={RANK_WORDS} />
            <Choice name={`areas.${i}.place`} label={`Place of area ${i + 1}`} options={PLACES} words={PLACE_WORDS} />
            {areas[i]?.place === 'band' ? (
              <span className="flex gap-1">
                <Num bare name={`areas.${i}.fromMm`} label={`Area ${i + 1} from`} unit="to" />
                <Num bare name={`areas.${i}.toMm`} label={`Area ${i + 1} to`} unit="mm" />
              </span>
            ) : (
              <span className="grid min-h-8 items-center text-[12.5px] text-graphite">
                {areas[i]?.place === 'painted' ? `${areas[i]?.strokes?.length ?? 0} strokes` : ''}
              </span>
            )}
            <Gone label={`Remove area ${i + 1}`} onClick={() => remove(i)} />
          </div>
        ))}
      </div>
    </Block>
  )
}

export function Permissions() {
  const { control } = useFormContext<Brief>()
  return (
    <Block title="What is allowed?">
      <div className="grid grid-cols-[150px_176px_1fr_150px] items-center gap-x-3 gap-y-1.5">
        {['', '', 'By whom', 'When'].map((h, i) => (
          <span key={i} className={heading}>
            {h}
          </span>
        ))}
        {PERMISSIONS.map((p) => (
          <div key={p} className="contents">
            <span className="text-[13.5px]">{PERMISSION_WORDS[p]}</span>
            <Controller
              control={control}
              name={`permissions.${p}.allowed`}
              render={({ field }) => (
                <span
                  role="radiogroup"
                  aria-label={PERMISSION_WORDS[p]}
                  className="flex overflow-hidden rounded-md border border-hair"
                >
                  {(
                    [
                      [null, 'not asked'],
                      [true, 'yes'],
                      [false, 'no'],
                    ] as const
                  ).map(([v, word]) => (
                    <button
                      key={word}
                      type="button"
                      role="radio"
                      aria-checked={field.value === v}
                      onClick={() => field.onChange(v)}
                      className={`min-h-8 flex-auto border-r border-hair px-2 text-[13px] last:border-r-0 ${field.value === v ? 'bg-ink text-card' : 'bg-card'}`}
                    >
                      {word}
                    </button>
                  ))}
                </span>
              )}
            />
            <Words name={`permissions.${p}.by`} label={`${PERMISSION_WORDS[p]}: by whom`} placeholder="name" />
            <Words type="date" name={`permissions.${p}.on`} label={`${PERMISSION_WORDS[p]}: when`} />
          </div>
        ))}
      </div>
      <p className="mt-2 text-[12.5px] text-graphite">
        For originals: no coating and no adhesive without the owner’s and a conservator’s written word.
      </p>
    </Block>
  )
}

export function Callipers() {
  const { control } = useFormContext<Brief>()
  const { fields, append, remove } = useFieldArray({ control, name: 'callipers' as never })
  return (
    <Block
      title="Calliper list"
      action={
        <Add
          label="Add a distance"
          onClick={() =>
            append({
              name: `distance ${fields.length + 1}`,
              from: '',
              to: '',
              readingMm: null,
              uncertaintyMm: 0.05,
              instrument: 'calliper',
            })
          }
        />
      }
    >
      {fields.length === 0 && (
        <p className="text-[13.5px] text-graphite">
          Distances to read while the piece is on the bench; they can’t be taken later. Two or three long ones fix the
          scale.
        </p>
      )}
      <div className="grid gap-1.5">
        {fields.map((f, i) => (
          <div
            key={f.id}
            className="grid grid-cols-[1fr_1fr_1fr_110px_100px_90px_32px] items-start gap-2"
            data-testid="calliper"
          >
            <Words name={`callipers.${i}.name`} label={`Name of distance ${i + 1}`} placeholder="length" />
            <Words name={`callipers.${i}.from`} label={`Distance ${i + 1} from`} placeholder="from" />
            <Words name={`callipers.${i}.to`} label={`Distance ${i + 1} to`} placeholder="to" />
            <Num
              bare
              name={`callipers.${i}.readingMm`}
              label={`Reading of distance ${i + 1}`}
              unit="mm"
              placeholder="—"
            />
            <Num bare name={`callipers.${i}.uncertaintyMm`} label={`Uncertainty of distance ${i + 1}`} unit="±" />
            <Words
              name={`callipers.${i}.instrument`}
              label={`Instrument of distance ${i + 1}`}
              placeholder="calliper"
            />
            <Gone label={`Remove distance ${i + 1}`} onClick={() => remove(i)} />
          </div>
        ))}
      </div>
    </Block>
  )
}

const Add = ({ label, onClick }: { label: string; onClick: () => void }) => (
  <Plain className="flex items-center gap-1 font-bench font-normal" onClick={onClick}>
    <Plus size={14} aria-hidden="true" />
    {label}
  </Plain>
)
const Gone = ({ label, onClick }: { label: string; onClick: () => void }) => (
  <IconButton name={label} onClick={onClick}>
    <Trash2 size={15} />
  </IconButton>
)
