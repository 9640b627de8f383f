'use client'
import { Choice, SlideBar } from '@/components/ui'
import { useEffect, useId, useState } from 'react'

/** A slider with its value beside it, which can be typed as well. */
export function Slide({
  label,
  unit,
  value,
  min,
  max,
  step = 1,
  onChange,
}: {
  label: string
  unit: string
  value: number
  min: number
  max: number
  step?: number
  onChange: (v: number) => void
}) {
  return (
    <div className="grid gap-1 text-[13px]">
      <div className="flex items-center justify-between">
        <span>{label}</span>
        <TypedNumber label={label} unit={unit} value={value} min={min} max={max} onChange={onChange} />
      </div>
      <SlideBar label={`${label}, slider`} value={value} min={min} max={max} step={step} onChange={onChange} />
    </div>
  )
}

/** A number that is taken over when it makes sense; half-typed text is left alone. */
export function TypedNumber({
  label,
  unit,
  value,
  min = -Infinity,
  max = Infinity,
  onChange,
  wide,
}: {
  label: string
  unit: string
  value: number | null
  /** What lies outside is not taken over, and said. */
  min?: number
  max?: number
  onChange: (v: number) => void
  wide?: boolean
}) {
  const shown = value === null ? '' : String(Math.round(value * 1000) / 1000)
  const [text, setText] = useState(shown)
  useEffect(() => setText(shown), [shown])
  const typed = Number(text.trim().replace(',', '.'))
  const wrong =
    text.trim() !== '' && !Number.isFinite(typed)
      ? 'This is no number.'
      : typed < min || typed > max
        ? `From ${min} to ${max} ${unit}.`
        : null
  return (
    <span className="relative flex items-center gap-1.5">
      <input
        aria-label={label}
        aria-invalid={wrong !== null}
        inputMode="decimal"
        value={text}
        className={`figure h-8 rounded-md border ${wrong ? 'border-madder' : 'border-hair'} bg-field px-2 text-right ${wide ? 'w-24' : 'w-[68px]'}`}
        onChange={(e) => {
          setText(e.target.value)
          const v = Number(e.target.value.trim().replace(',', '.'))
          if (e.target.value.trim() !== '' && Number.isFinite(v) && v >= min && v <= max) onChange(v)
        }}
        onBlur={() => setText(shown)}
      />
      <span className="w-7 text-graphite">{unit}</span>
      {wrong && (
        <span
          role="alert"
          className="absolute top-full right-8 z-10 mt-0.5 w-max rounded border border-madder/40 bg-blush px-1.5 text-[12.5px] text-madder"
        >
          {wrong}
        </span>
      )}
    </span>
  )
}

export function NumberRow({
  label,
  unit,
  value,
  onChange,
}: {
  label: string
  unit: string
  value: number | null
  onChange: (v: number) => void
}) {
  return (
    <div className="flex items-center justify-between gap-3 text-[13px]">
      <span>{label}</span>
      <TypedNumber label={label} unit={unit} value={value} onChange={onChange} />
    </div>
  )
}

export function Pick<T extends string>({
  label,
  value,
  options,
  onChange,
}: {
  label: string
  value: T
  options: readonly (readonly [T, string])[]
  onChange: (v: T) => void
}) {
  const id = useId()
  return (
    <label htmlFor={id} className="flex items-center justify-between gap-3 text-[13px]">
      <span>{label}</span>
      <Choice
        id={id}
        value={value}
        options={options.map(([v, word]) => [v, word] as const)}
        onChange={(v) => onChange(v)}
        className="max-w-[62%] text-[13.5px]"
      />
    </label>
  )
}
