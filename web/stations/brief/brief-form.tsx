'use client'
import { joiResolver } from '@hookform/resolvers/joi'
import { Plus, Trash2 } from 'lucide-react'
import { useEffect, useRef, type ReactNode } from 'react'
import { Controller, FormProvider, useFieldArray, useForm, useFormContext, type FieldPath } from 'react-hook-form'
import {
  AREA_RANKS,
  briefProblems,
  briefSchema,
  EMPTY_BRIEF,
  FINISHES,
  PERMISSIONS,
  PLACES,
  PURPOSES,
  TONES,
  TRAITS,
  type Brief,
  FINISH_WORDS,
  PERMISSION_WORDS,
  PLACE_WORDS,
  PURPOSE_WORDS,
  RANK_WORDS,
  TONE_WORDS,
  TRAIT_WORDS,
} from '@holosoma/core/brief'
import { FormChoice, FormTick, IconButton, Plain } from '@/components/ui'
import { useDocument } from '@/lib/documents'
import { useDesk } from '@/lib/store'

const firstProblem = (brief: Brief): string | null => briefProblems(brief)[0]?.message ?? null

/** What is known of the piece, on one page; saved as it is written. */
export function BriefForm() {
  const { value, change, problem } = useDocument('brief', () => EMPTY_BRIEF, firstProblem)
  const saving = useDesk((d) => d.saving)
  const stored = useDesk((d) => d.state.brief !== null)
  const form = useForm<Brief>({
    defaultValues: value,
    resolver: joiResolver(briefSchema, { convert: false, abortEarly: false }),
    mode: 'onChange',
  })
  // What the form itself wrote comes back as `value`; only what others wrote is laid into the form.
  const own = useRef(value)
  useEffect(() => {
    const watch = form.watch((next) => {
      own.current = next as Brief
      change(structuredClone(next) as Brief)
    })
    return () => watch.unsubscribe()
  }, [form, change])
  useEffect(() => {
    if (JSON.stringify(own.current) === JSON.stringify(value)) return
    own.current = value
    form.reset(value)
  }, [value, form])
  return (
    <FormProvider {...form}>
      <form
        aria-label="Brief"
        className="h-full overflow-y-auto bg-paper px-6 pt-4 pb-8"
        onSubmit={(e) => e.preventDefault()}
      >
        <p className="mb-3 flex items-baseline justify-between text-[13px] text-graphite">
          <span>Saved as you write. Nothing here is a must; what is known makes the plan better.</span>
          <span role="status" data-testid="saved" className={problem ? 'font-semibold text-madder' : ''}>
            {problem ? `Not saved: ${problem}.` : saving ? 'Saving…' : stored ? 'Saved' : 'Not written yet'}
          </span>
        </p>
        <div className="grid gap-3">
          <Block title="What is it for?">
            <Chips name="purposes" options={PURPOSES} words={PURPOSE_WORDS} />
          </Block>
          <Block title="Size and detail">
            <div className="grid grid-cols-3 gap-x-5 gap-y-2 lg:grid-cols-4">
              <Num name="lengthMm" label="Length" unit="mm" />
              <Num name="widthMm" label="Width" unit="mm" />
              <Num name="heightMm" label="Height" unit="mm" />
              <Num name="massG" label="Mass" unit="g" />
              <Num name="detailMm" label="Smallest detail to hold" unit="mm" />
              <Num name="toleranceMm" label="Tolerance" unit="mm" placeholder="auto" />
            </div>
          </Block>
          <Zones />
          <Block title="Shape">
            <Chips name="traits" options={TRAITS} words={TRAIT_WORDS} />
            <Tick name="original" label="An original: the owner’s word is needed for everything" />
            <Tick name="person" label="A person" />
          </Block>
          <Areas />
          <Permissions />
          <Callipers />
          <Block title="Surroundings">
            <div className="flex flex-wrap items-center gap-x-6 gap-y-2">
              <Num name="temperatureC" label="Temperature" unit="°C" />
              <Tick name="sun" label="Sun on the bench" />
              <Tick name="vibration" label="The bench shakes" />
            </div>
          </Block>
          <Block title="Notes">
            <label className="sr-only" htmlFor="brief-notes">
              Notes
            </label>
            <textarea
              id="brief-notes"
              rows={2}
              className="w-full rounded-md border border-hair bg-white px-2.5 py-1.5"
              {...form.register('notes')}
            />
          </Block>
        </div>
      </form>
    </FormProvider>
  )
}

function Block({ title, children, action }: { title: string; children: ReactNode; action?: ReactNode }) {
  return (
    <section aria-label={title} className="rounded-[10px] border border-hair bg-card px-4 pt-2.5 pb-3">
      <h3 className="mb-2 flex min-h-8 items-center justify-between font-caption text-[16px] font-semibold">
        {title}
        {action}
      </h3>
      {children}
    </section>
  )
}

const number = (v: unknown): number | null =>
  v === null || v === undefined || String(v).trim() === '' ? null : Number(String(v).replace(',', '.'))

function useError(name: string): string | undefined {
  const { formState } = useFormContext<Brief>()
  const at = name
    .split('.')
    .reduce<unknown>((o, k) => (o as Record<string, unknown> | undefined)?.[k], formState.errors) as
    { message?: string } | undefined
  return at?.message
}

function Num({
  name,
  label,
  unit,
  placeholder,
  bare,
}: {
  name: FieldPath<Brief>
  label: string
  unit: string
  placeholder?: string
  bare?: boolean
}) {
  const { register } = useFormContext<Brief>()
  const error = useError(name)
  return (
    <label className="grid gap-0.5 text-[13px]">
      <span className={bare ? 'sr-only' : 'text-graphite'}>{label}</span>
      <span className="flex items-center gap-1.5">
        <input
          aria-label={label}
          aria-invalid={!!error}
          inputMode="decimal"
          placeholder={placeholder}
          className={`figure h-8 w-full min-w-16 rounded-md border bg-white px-2 text-right ${error ? 'border-madder' : 'border-hair'}`}
          {...register(name, { setValueAs: number })}
        />
        <span className="w-7 text-graphite">{unit}</span>
      </span>
      {error && <span className="text-[12.5px] text-madder">{error}</span>}
    </label>
  )
}

function Words({
  name,
  label,
  placeholder,
  type = 'text',
}: {
  name: FieldPath<Brief>
  label: string
  placeholder?: string
  type?: string
}) {
  const { register } = useFormContext<Brief>()
  const error = useError(name)
  return (
    <span className="grid min-w-0">
      <input
        aria-label={label}
        aria-invalid={!!error}
        type={type}
        placeholder={placeholder ?? label}
        className={`h-8 w-full min-w-0 rounded-md border bg-white px-2 text-[13.5px] ${error ? 'border-madder' : 'border-hair'}`}
        {...register(name)}
      />
      {error && <span className="text-[12.5px] text-madder">{error}</span>}
    </span>
  )
}

function Choice<T extends string>({
  name,
  label,
  options,
  words,
}: {
  name: FieldPath<Brief>
  label: string
  options: readonly T[]
  words: Readonly<Record<T, string>>
}) {
  const { control } = useFormContext<Brief>()
  return (
    <FormChoice
      control={control}
      name={name}
      label={label}
      options={options.map((o) => [o, words[o]] as const)}
      className="w-full text-[13.5px]"
    />
  )
}

function Tick({ name, label }: { name: FieldPath<Brief>; label: string }) {
  const { control } = useFormContext<Brief>()
  return (
    <FormTick control={control} name={name} className="text-[13.5px]">
      {label}
    </FormTick>
  )
}

function Chips<T extends string>({
  name,
  options,
  words,
}: {
  name: 'purposes' | 'traits'
  options: readonly T[]
  words: Readonly<Record<T, string>>
}) {
  const { control } = useFormContext<Brief>()
  const error = useError(name)
  return (
    <>
      <Controller
        control={control}
        name={name}
        render={({ field }) => (
          <div className="flex flex-wrap gap-1.5">
            {options.map((o) => {
              const list = field.value as readonly string[]
              const on = list.includes(o)
              return (
                <button
                  key={o}
                  type="button"
                  aria-pressed={on}
                  onClick={() => field.onChange(on ? list.filter((v) => v !== o) : [...list, o])}
                  className={`min-h-8 rounded-md border px-2.5 text-[13.5px] ${on ? 'border-ink bg-ink text-card' : 'border-hair bg-card hover:border-graphite'}`}
                >
                  {words[o]}
                </button>
              )
            })}
          </div>
        )}
      />
      {error && <p className="mt-1 text-[12.5px] text-madder">{error}</p>}
    </>
  )
}

const heading = 'text-left text-[12.5px] font-normal text-graphite'

function Zones() {
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

function Areas() {
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

function Permissions() {
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

function Callipers() {
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
