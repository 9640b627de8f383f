'use client'
import { X } from 'lucide-react'
import { Toast } from 'radix-ui'
import { create } from 'zustand'

interface Notice {
  readonly id: number
  readonly text: string
}
/** How long a notice stands, ms. */
const STANDS_MS = 6000
/** More than these would cover what is worked on. */
const MAX = 3

const useNotices = create<{ notices: readonly Notice[] }>(() => ({ notices: [] }))
let last = 0

/** Tells what came about, in passing: nothing has to be answered, and it goes by itself. */
export const notify = (text: string): void =>
  useNotices.setState(({ notices }) => ({ notices: [...notices, { id: ++last, text }].slice(-MAX) }))

/** Where notices stand; once a page. */
export function Notices() {
  const notices = useNotices((n) => n.notices)
  return (
    <Toast.Provider duration={STANDS_MS} label="Notice" swipeDirection="down">
      {notices.map(({ id, text }) => (
        <Toast.Root
          key={id}
          data-testid="notice"
          onOpenChange={(open) =>
            !open && useNotices.setState((n) => ({ notices: n.notices.filter((x) => x.id !== id) }))
          }
          className="pointer-events-auto flex items-center gap-2 rounded-lg bg-ink py-1 pr-1 pl-3.5 text-[13px] text-card shadow-lg"
        >
          <Toast.Description>{text}</Toast.Description>
          <Toast.Close
            aria-label="Close this notice"
            className="grid h-7 w-7 place-items-center rounded-md hover:bg-field/15"
          >
            <X size={14} aria-hidden="true" />
          </Toast.Close>
        </Toast.Root>
      ))}
      <Toast.Viewport className="pointer-events-none fixed bottom-[126px] left-1/3 z-40 grid -translate-x-1/2 gap-1.5 outline-none" />
    </Toast.Provider>
  )
}
