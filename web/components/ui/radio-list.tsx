'use client'
import { RadioGroup } from 'radix-ui'
import type { ReactNode } from 'react'

/** One of a few, all of them in view; arrows go from one to the next. */
export function RadioList<T extends string>({
  label,
  value,
  options,
  onChange,
  className = 'grid gap-1.5',
}: {
  label: string
  value: T
  options: readonly { readonly value: T; readonly word: string; readonly note?: ReactNode }[]
  onChange: (v: T) => void
  className?: string
}) {
  return (
    <RadioGroup.Root aria-label={label} value={value} onValueChange={(v) => onChange(v as T)} className={className}>
      {options.map((o) => (
        <label
          key={o.value}
          className={`flex min-h-8 items-center gap-2 rounded-md border px-2.5 text-[13px] ${value === o.value ? 'border-ink bg-paper' : 'border-hair'}`}
        >
          <RadioGroup.Item
            value={o.value}
            className="grid h-4 w-4 shrink-0 place-items-center rounded-full border border-graphite bg-field data-[state=checked]:border-ink"
          >
            <RadioGroup.Indicator className="h-2 w-2 rounded-full bg-ink" />
          </RadioGroup.Item>
          <b className="font-semibold">{o.word}</b>
          {o.note && <span className="text-graphite">{o.note}</span>}
        </label>
      ))}
    </RadioGroup.Root>
  )
}
