'use client'
import { useId, type InputHTMLAttributes } from 'react'

/** A number with its unit; text while typing, so that half-typed numbers are not fought over. */
export function NumberField({
  label,
  unit,
  className = '',
  ...props
}: InputHTMLAttributes<HTMLInputElement> & { label: string; unit?: string }) {
  const id = useId()
  return (
    <label htmlFor={id} className={`flex items-center justify-between gap-3 text-[13px] ${className}`}>
      <span>{label}</span>
      <span className="flex items-center gap-1.5">
        <input
          id={id}
          inputMode="decimal"
          className="figure h-8 w-20 rounded-md border border-hair bg-field px-2 text-right"
          {...props}
        />
        {unit && <span className="w-7 text-graphite">{unit}</span>}
      </span>
    </label>
  )
}

/** A positive number from what was typed (comma or point), or null. */
export function positiveNumber(text: string): number | null {
  const v = Number(text.trim().replace(',', '.'))
  return text.trim() !== '' && Number.isFinite(v) && v > 0 ? v : null
}
