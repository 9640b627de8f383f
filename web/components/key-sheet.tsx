'use client'
import { Dialog } from 'radix-ui'
import { X } from 'lucide-react'
import { STATION_NAMES, type Station } from '@/lib/station-names'
import { HANDS, useSettings } from '@/lib/settings'
import { HowItFeels } from './how-it-feels'
import { focusItself, IconButton } from './ui'

const EVERYWHERE = [
  ['Ctrl Z', 'Undo the last step'],
  ['Ctrl Shift Z', 'Do it again'],
  ['Ctrl K', 'Find a command'],
  ['1 … 9', 'Go to a station'],
  ['Esc', 'Drop the tool, or cancel what is computing'],
] as const
const ON_STAGE = [
  ['Arrows', 'Turn the view (first click or tab onto the stage)'],
  ['Shift + arrows', 'Move the view'],
  ['+  −', 'Nearer, farther'],
  ['Arrows, Enter', 'While a place is to be picked: move the cross, pick under it; Shift turns the view'],
] as const

export function KeySheet({
  open,
  onOpenChange,
  station,
  here,
}: {
  open: boolean
  onOpenChange: (open: boolean) => void
  station: Station
  /** What the open station adds. */
  here: readonly (readonly [string, string])[]
}) {
  const hand = useSettings((s) => s.hand)
  const groups = [
    ['Everywhere', EVERYWHERE],
    ['On the stage', [...ON_STAGE, ['Drag, wheel', HANDS[hand][1]]]],
    ...(here.length > 0 ? [[`At ${STATION_NAMES[station]}`, here]] : []),
  ] as [string, readonly (readonly [string, string])[]][]
  return (
    <Dialog.Root open={open} onOpenChange={onOpenChange}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-40 bg-ink/25" />
        <Dialog.Content
          aria-describedby={undefined}
          onOpenAutoFocus={focusItself}
          className="fixed top-1/2 left-1/2 z-50 w-[560px] -translate-x-1/2 -translate-y-1/2 rounded-xl border border-hair bg-card p-6 shadow-xl"
        >
          <div className="mb-3 flex items-center justify-between">
            <Dialog.Title className="font-caption text-[20px] font-semibold">Keys and settings</Dialog.Title>
            <Dialog.Close asChild>
              <IconButton name="Close">
                <X size={17} />
              </IconButton>
            </Dialog.Close>
          </div>
          <div className="max-h-[calc(100vh-9rem)] overflow-y-auto pr-1" tabIndex={0} role="region" aria-label="Keys">
            {groups.map(([title, keys]) => (
              <section key={title} className="mb-3">
                <h3 className="mb-1 text-[13px] font-semibold text-graphite">{title}</h3>
                <dl className="grid grid-cols-[150px_1fr] gap-y-1 text-[13.5px]">
                  {keys.map(([k, what]) => (
                    <div key={k} className="contents">
                      <dt className="figure">{k}</dt>
                      <dd>{what}</dd>
                    </div>
                  ))}
                </dl>
              </section>
            ))}
            <HowItFeels />
          </div>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  )
}
