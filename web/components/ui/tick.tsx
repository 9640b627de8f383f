'use client'
import { Check } from 'lucide-react'
import { Checkbox } from 'radix-ui'
import type { ReactNode } from 'react'

/** A box to tick, with its words; the words can be clicked, too. */
export function Tick({
  checked,
  onChange,
  disabled,
  title,
  className = '',
  children,
}: {
  checked: boolean
  onChange: (checked: boolean) => void
  disabled?: boolean
  title?: string
  className?: string
  children: ReactNode
}) {
  return (
    <label title={title} className={`flex min-h-8 items-center gap-1.5 text-[13px] ${className}`}>
      <Checkbox.Root
        checked={checked}
        onCheckedChange={(v) => onChange(v === true)}
        disabled={disabled}
        className="grid h-[18px] w-[18px] shrink-0 place-items-center rounded border border-graphite bg-field disabled:border-hair data-[state=checked]:border-verdigris data-[state=checked]:bg-verdigris data-[state=checked]:text-white"
      >
        <Checkbox.Indicator>
          <Check size={13} strokeWidth={3} aria-hidden="true" />
        </Checkbox.Indicator>
      </Checkbox.Root>
      <span>{children}</span>
    </label>
  )
}
