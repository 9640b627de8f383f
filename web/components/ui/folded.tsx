'use client'
import { ChevronRight } from 'lucide-react'
import { Collapsible } from 'radix-ui'
import { useState, type ReactNode } from 'react'

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
  return (
    <Collapsible.Root
      open={open}
      onOpenChange={(o) => {
        setOpen(o)
        onOpen?.(o)
      }}
      className={className}
    >
      <Collapsible.Trigger className={`group flex w-full cursor-pointer items-center gap-1 text-left ${titleClass}`}>
        <ChevronRight
          size={14}
          aria-hidden="true"
          className="shrink-0 text-graphite transition-transform group-data-[state=open]:rotate-90 motion-reduce:transition-none"
        />
        <span>{title}</span>
      </Collapsible.Trigger>
      <Collapsible.Content>{children}</Collapsible.Content>
    </Collapsible.Root>
  )
}

/** A group of hand tools, folded. */
export function Group({ title, open, children }: { title: string; open?: boolean; children: ReactNode }) {
  return (
    <Folded title={title} open={open} className="border-t border-[#e9e3d5] py-1">
      <div className="mt-1 mb-1.5 grid gap-2">{children}</div>
    </Folded>
  )
}
