'use client'
import { Tabs } from 'radix-ui'
import type { ReactNode, RefObject } from 'react'

/** Leaves of a card, one of them open; the open one scrolls. */
export function CardTabs<Value extends string>({
  label,
  value,
  tabs,
  onChange,
  scroll,
  children,
}: {
  label: string
  value: Value
  tabs: readonly (readonly [Value, string])[]
  onChange: (value: Value) => void
  scroll?: RefObject<HTMLDivElement | null>
  children: ReactNode
}) {
  return (
    <Tabs.Root value={value} onValueChange={(v) => onChange(v as Value)} className="flex min-h-0 flex-1 flex-col">
      <Tabs.List aria-label={label} className="flex gap-4 border-b border-hair px-5 pt-2.5">
        {tabs.map(([v, words]) => (
          <Tabs.Trigger
            key={v}
            value={v}
            className="min-h-8 min-w-8 pb-1.5 font-medium text-graphite data-[state=active]:text-ink data-[state=active]:shadow-[inset_0_-2px_0_var(--color-ink)]"
          >
            {words}
          </Tabs.Trigger>
        ))}
      </Tabs.List>
      <Tabs.Content
        key={value}
        value={value}
        ref={scroll}
        // What scrolls can be reached, and scrolled by keys.
        tabIndex={0}
        className="relative min-h-0 min-w-0 flex-1 overflow-y-auto px-5 py-3.5 [overflow-wrap:anywhere] outline-offset-[-3px]"
      >
        {children}
      </Tabs.Content>
    </Tabs.Root>
  )
}
