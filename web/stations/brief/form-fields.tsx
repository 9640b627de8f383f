'use client'
import type { ReactNode } from 'react'
import { Controller, useFormContext, type FieldPath } from 'react-hook-form'
import type { Brief } from '@holosoma/core/brief'
import { FormChoice, FormTick } from '@/components/ui'

/* The parts of the brief's form. */

export function Block({ title, children, action }: { title: string; children: ReactNode; action?: ReactNode }) {
  return (
    <section aria-label={title} className="rounded-[10px] border border-hair bg-card px-4 pt-2.5 pb-3">
      <h2 className="mb-2 flex min-h-8 items-center justify-between font-caption text-[16px] font-semibold">
        {title}
        {action}
      </h2>
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

export function Num({
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
    <label className="relative grid gap-0.5 text-[13px]">
      <span className={bare ? 'sr-only' : 'text-graphite'}>{label}</span>
      <span className="flex items-center gap-1.5">
        <input
          aria-label={label}
          aria-invalid={!!error}
          inputMode="decimal"
          placeholder={placeholder}
          className={`figure h-8 w-full min-w-16 rounded-md border bg-field px-2 text-right ${error ? 'border-madder' : 'border-hair'}`}
          {...register(name, { setValueAs: number })}
        />
        <span className="w-7 text-graphite">{unit}</span>
      </span>
      <Wrong error={error} />
    </label>
  )
}

export function Words({
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
    <span className="relative grid min-w-0">
      <input
        aria-label={label}
        aria-invalid={!!error}
        type={type}
        placeholder={placeholder ?? label}
        className={`h-8 w-full min-w-0 rounded-md border bg-field px-2 text-[13.5px] ${error ? 'border-madder' : 'border-hair'}`}
        {...register(name)}
      />
      <Wrong error={error} />
    </span>
  )
}

export function Choice<T extends string>({
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

export function Tick({ name, label }: { name: FieldPath<Brief>; label: string }) {
  const { control } = useFormContext<Brief>()
  return (
    <FormTick control={control} name={name} className="text-[13.5px]">
      {label}
    </FormTick>
  )
}

export function Chips<T extends string>({
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

/** What is wrong with a field, laid over what stands below it, so that nothing moves while one types. */
const Wrong = ({ error }: { error: string | undefined }) =>
  error ? (
    <span className="absolute top-full left-0 z-10 mt-0.5 w-max max-w-64 rounded border border-madder/40 bg-blush px-1.5 text-[12.5px] text-madder">
      {error}
    </span>
  ) : null
