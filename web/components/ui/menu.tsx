'use client'
import { Check } from 'lucide-react'
import { DropdownMenu } from 'radix-ui'
import type { ReactNode } from 'react'

export interface MenuItem {
  readonly name: string
  readonly disabled?: boolean
  /** Of what is on or off: which it is. */
  readonly checked?: boolean
  run(): void
}

const ITEM =
  'flex h-8 cursor-pointer items-center rounded-md px-2.5 outline-none data-[disabled]:cursor-default ' +
  'data-[disabled]:text-[#a39d8f] data-[highlighted]:bg-ground'

/** A button that opens a list of acts. @param children the button */
export function Menu({ items, children }: { items: readonly MenuItem[]; children: ReactNode }) {
  return (
    <DropdownMenu.Root>
      <DropdownMenu.Trigger asChild>{children}</DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content
          sideOffset={4}
          collisionPadding={8}
          className="z-40 max-h-80 min-w-44 overflow-y-auto rounded-lg border border-hair bg-card p-1 text-[13px] shadow-lg"
        >
          {items.map(({ name, disabled, checked, run }) =>
            checked === undefined ? (
              <DropdownMenu.Item key={name} disabled={disabled} onSelect={run} className={ITEM}>
                {name}
              </DropdownMenu.Item>
            ) : (
              <DropdownMenu.CheckboxItem
                key={name}
                disabled={disabled}
                checked={checked}
                onCheckedChange={run}
                className={`${ITEM} gap-2`}
              >
                <span className="grid h-4 w-4 place-items-center">
                  <DropdownMenu.ItemIndicator>
                    <Check size={14} strokeWidth={2.6} aria-hidden="true" />
                  </DropdownMenu.ItemIndicator>
                </span>
                {name}
              </DropdownMenu.CheckboxItem>
            ),
          )}
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  )
}
