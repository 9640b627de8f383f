'use client'
import { Tooltip } from 'radix-ui'
import type { ButtonHTMLAttributes, ReactNode } from 'react'

type ButtonProps = ButtonHTMLAttributes<HTMLButtonElement>

export function Primary({ className = '', ...props }: ButtonProps) {
  return (
    <button
      type="button"
      data-main=""
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
