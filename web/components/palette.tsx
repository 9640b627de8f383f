'use client'
import { Command } from 'cmdk'
import { Dialog } from 'radix-ui'
import { fit } from '@/lib/find-command'

export interface DeskCommand {
  readonly name: string
  readonly keys?: string
  /** Where it is done. */
  readonly where?: string
  /** Other words it is found by. */
  readonly terms?: string
  run(): void
}

export function Palette({
  open,
  onOpenChange,
  commands,
}: {
  open: boolean
  onOpenChange: (open: boolean) => void
  commands: readonly DeskCommand[]
}) {
  return (
    <Dialog.Root open={open} onOpenChange={onOpenChange}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-40 bg-ink/25" />
        <Dialog.Content
          aria-describedby={undefined}
          className="fixed top-[18%] left-1/2 z-50 w-[520px] -translate-x-1/2 overflow-hidden rounded-xl border border-hair bg-card shadow-xl"
        >
          <Dialog.Title className="sr-only">Find a command</Dialog.Title>
          <Command label="Commands" loop filter={fit}>
            <Command.Input
              placeholder="What do you want to do?"
              className="h-12 w-full border-b border-hair bg-card px-4 text-[15px] outline-none"
            />
            <Command.List className="max-h-80 overflow-y-auto p-2">
              <Command.Empty className="px-3 py-4 text-graphite">No command is called that.</Command.Empty>
              {commands.map((c) => (
                <Command.Item
                  key={`${c.where} ${c.name}`}
                  value={c.where ? `${c.name} ${c.where}` : c.name}
                  keywords={c.terms?.split(' ')}
                  className="flex h-9 cursor-pointer items-center justify-between rounded-md px-3 data-[selected=true]:bg-ground"
                  onSelect={() => {
                    onOpenChange(false)
                    c.run()
                  }}
                >
                  {c.name}
                  {c.where && <span className="text-[12.5px] text-graphite">{c.where}</span>}
                  {c.keys && <kbd className="figure text-[12px] text-graphite">{c.keys}</kbd>}
                </Command.Item>
              ))}
            </Command.List>
          </Command>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  )
}
