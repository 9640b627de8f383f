'use client'
import { Tooltip } from 'radix-ui'
import { useId, type ButtonHTMLAttributes, type InputHTMLAttributes, type ReactNode } from 'react'
import type { Verdict } from '@holosoma/core'

const VERDICT_COLOUR: Readonly<Record<Verdict, string>> = {
  sound: 'text-verdigris',
  doubtful: 'text-ochre',
  unsound: 'text-madder',
}

/** Full, half and barred disc: a verdict is never told by colour alone. */
export function VerdictMark({ verdict, size = 13 }: { verdict: Verdict | null; size?: number }) {
  const colour = verdict ? VERDICT_COLOUR[verdict] : 'text-hair'
  return (
    <svg width={size} height={size} viewBox="0 0 14 14" className={`${colour} shrink-0`} aria-hidden="true">
      <circle
        cx="7"
        cy="7"
        r="5.8"
        fill={verdict === 'sound' ? 'currentColor' : 'var(--color-paper)'}
        stroke="currentColor"
        strokeWidth="2"
      />
      {verdict === 'doubtful' && <path d="M7 1.2a5.8 5.8 0 0 0 0 11.6z" fill="currentColor" />}
      {verdict === 'unsound' && <path d="M3.2 10.8l7.6-7.6" stroke="currentColor" strokeWidth="2" />}
    </svg>
  )
}

export function VerdictWord({ verdict }: { verdict: Verdict }) {
  return (
    <span className={`inline-flex items-center gap-1.5 text-[13px] font-semibold ${VERDICT_COLOUR[verdict]}`}>
      <VerdictMark verdict={verdict} /> {verdict}
    </span>
  )
}

/** A sentence with its verdict's mark. */
export function Told({
  verdict,
  children,
  className = 'text-[13px]',
}: {
  verdict: Verdict
  children: ReactNode
  className?: string
}) {
  return (
    <p className={`flex items-start gap-1.5 ${className}`}>
      <span className="mt-0.5">
        <VerdictMark verdict={verdict} />
      </span>
      <span>{children}</span>
    </p>
  )
}

type ButtonProps = ButtonHTMLAttributes<HTMLButtonElement>

export function Primary({ className = '', ...props }: ButtonProps) {
  return (
    <button
      type="button"
      className={`min-h-9 w-full rounded-[7px] bg-verdigris px-4 py-2 font-semibold text-white hover:bg-verdigris-deep disabled:bg-[#b9b6aa] ${className}`}
      {...props}
    />
  )
}

export function Plain({ className = '', ...props }: ButtonProps) {
  return (
    <button
      type="button"
      className={`min-h-8 rounded-md border border-hair bg-card px-3 py-1 text-[13px] hover:border-graphite disabled:text-[#a39d8f] disabled:hover:border-hair ${className}`}
      {...props}
    />
  )
}

/**
 * For a dialog: it takes the focus itself, because on its first button a tooltip would open and swallow the first Esc.
 */
export function focusItself(event: Event): void {
  event.preventDefault()
  ;(event.currentTarget as HTMLElement | null)?.focus()
}

/** An icon button with its name for pointer and screen reader. */
export function IconButton({
  name,
  hint,
  className = '',
  children,
  ...props
}: ButtonProps & { name: string; hint?: string; children: ReactNode }) {
  return (
    <Tooltip.Root>
      <Tooltip.Trigger asChild>
        <button
          type="button"
          aria-label={name}
          className={`grid h-8 w-8 place-items-center rounded-md text-graphite hover:bg-ground hover:text-ink disabled:text-[#b9b3a4] disabled:hover:bg-transparent ${className}`}
          {...props}
        >
          {children}
        </button>
      </Tooltip.Trigger>
      <Tooltip.Portal>
        <Tooltip.Content
          sideOffset={4}
          className="z-50 max-w-64 rounded-md bg-ink px-2.5 py-1.5 text-[12.5px] text-card"
        >
          {name}
          {hint && <span className="figure ml-2 opacity-75">{hint}</span>}
        </Tooltip.Content>
      </Tooltip.Portal>
    </Tooltip.Root>
  )
}

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
          className="figure h-8 w-20 rounded-md border border-hair bg-white px-2 text-right"
          {...props}
        />
        {unit && <span className="w-7 text-graphite">{unit}</span>}
      </span>
    </label>
  )
}

/** A collapsed group of hand tools. */
export function Group({ title, open, children }: { title: string; open?: boolean; children: ReactNode }) {
  return (
    <details open={open} className="border-t border-[#e9e3d5] py-2">
      <summary className="cursor-pointer text-[13.5px] font-medium">{title}</summary>
      <div className="mt-2 grid gap-2">{children}</div>
    </details>
  )
}

/** A positive number from what was typed (comma or point), or null. */
export function positiveNumber(text: string): number | null {
  const v = Number(text.trim().replace(',', '.'))
  return text.trim() !== '' && Number.isFinite(v) && v > 0 ? v : null
}
