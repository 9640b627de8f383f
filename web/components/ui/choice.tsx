'use client'
import { Check, ChevronDown } from 'lucide-react'
import { Select } from 'radix-ui'
import type { ReactNode } from 'react'

export type Options<T extends string | number> = readonly (readonly [T, ReactNode])[]

/**
 * One of a few, named by a label round it or by `label`. Keyboard: Space, Enter or an arrow opens, letters seek, Esc
 * leaves it as it was.
 */
export function Choice<T extends string | number>({
  label,
  value,
  options,
  onChange,
  disabled,
  className = '',
  id,
}: {
  label?: string
  value: T
  options: Options<T>
  onChange: (v: T) => void
  disabled?: boolean
  className?: string
  id?: string
}) {
  // By place in the list: a part takes only text that is not empty for a value.
  const at = options.findIndex(([v]) => v === value)
  return (
    <Select.Root
      value={at < 0 ? '' : String(at)}
      onValueChange={(i) => i !== '' && onChange(options[Number(i)][0])}
      disabled={disabled}
    >
      <Select.Trigger
        id={id}
        aria-label={label}
        className={`inline-flex h-8 min-w-0 items-center justify-between gap-1.5 rounded-md border border-hair bg-field px-2 text-left text-[13px] hover:border-graphite disabled:text-[#a39d8f] disabled:hover:border-hair ${className}`}
      >
        <span className="min-w-0 truncate">
          <Select.Value />
        </span>
        <Select.Icon className="shrink-0 text-graphite">
          <ChevronDown size={14} aria-hidden="true" />
        </Select.Icon>
      </Select.Trigger>
      <Select.Portal>
        <Select.Content
          position="popper"
          sideOffset={3}
          collisionPadding={8}
          className="z-50 max-h-[min(320px,var(--radix-select-content-available-height))] min-w-[var(--radix-select-trigger-width)] overflow-hidden rounded-md border border-graphite bg-card text-[13px] shadow-[0_6px_20px_rgb(50_40_20/0.16)]"
        >
          <Select.Viewport className="p-1">
            {options.map(([v, word], i) => (
              <Select.Item
                key={String(v)}
                value={String(i)}
                className="flex min-h-8 cursor-default items-center gap-1.5 rounded px-2 py-1 outline-none select-none data-[highlighted]:bg-ground data-[state=checked]:font-semibold"
              >
                <span className="grid w-3.5 place-items-center">
                  <Select.ItemIndicator>
                    <Check size={13} aria-hidden="true" />
                  </Select.ItemIndicator>
                </span>
                <Select.ItemText>{word}</Select.ItemText>
              </Select.Item>
            ))}
          </Select.Viewport>
        </Select.Content>
      </Select.Portal>
    </Select.Root>
  )
}
