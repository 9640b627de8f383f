'use client'
import { ChevronRight } from 'lucide-react'
import { Collapsible } from 'radix-ui'
import { useEffect, useRef, useState, type ReactNode } from 'react'
import { create } from 'zustand'

/** The group that is asked to open, from wherever a person looked for it. */
const useWanted = create<{ title: string | null }>(() => ({ title: null }))

/** A group that is not there by then is not shown for this piece: it must not open by itself later. */
const WAIT_MS = 2000
let waiting: ReturnType<typeof setTimeout> | undefined

/** Opens the group whose title begins so, as soon as it is there, and puts the focus on it. */
export function unfold(title: string): void {
  clearTimeout(waiting)
  useWanted.setState({ title })
  waiting = setTimeout(() => useWanted.setState({ title: null }), WAIT_MS)
}

/** What is folded away until its heading is clicked. */
export function Folded({
  title,
  open: opened = false,
  onOpen,
  className = '',
  titleClass = 'min-h-8 text-[13.5px] font-medium',
  children,
}: {
  title: ReactNode
  open?: boolean
  onOpen?: (open: boolean) => void
  className?: string
  titleClass?: string
  children: ReactNode
}) {
  const [open, setOpen] = useState(opened)
  const trigger = useRef<HTMLButtonElement>(null)
  const content = useRef<HTMLDivElement>(null)
  const wanted = useWanted((w) => w.title !== null && typeof title === 'string' && title.startsWith(w.title))
  useEffect(() => {
    if (!wanted) return
    useWanted.setState({ title: null })
    setOpen(true)
    trigger.current?.scrollIntoView({ block: 'start' })
    trigger.current?.focus()
  }, [wanted])
  const byHand = useRef(false)
  useEffect(() => {
    // What was opened at the lower edge of the card comes into view.
    if (open && byHand.current) content.current?.scrollIntoView({ block: 'nearest' })
  }, [open])
  return (
    <Collapsible.Root
      open={open}
      onOpenChange={(o) => {
        byHand.current = true
        setOpen(o)
        onOpen?.(o)
      }}
      className={className}
    >
      <Collapsible.Trigger
        ref={trigger}
        className={`group flex w-full cursor-pointer items-center gap-1 text-left ${titleClass}`}
      >
        <ChevronRight
          size={14}
          aria-hidden="true"
          className="shrink-0 text-graphite transition-transform group-data-[state=open]:rotate-90 motion-reduce:transition-none"
        />
        <span>{title}</span>
      </Collapsible.Trigger>
      <Collapsible.Content ref={content}>{children}</Collapsible.Content>
    </Collapsible.Root>
  )
}

/** A group of hand tools, folded. */
export function Group({ title, open, children }: { title: string; open?: boolean; children: ReactNode }) {
  return (
    <Folded title={title} open={open} className="border-t border-rule py-1">
      <div className="mt-1 mb-1.5 grid gap-2">{children}</div>
    </Folded>
  )
}
