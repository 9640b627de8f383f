'use client'
import type { LucideIcon } from 'lucide-react'

/** A tool: its name, what it is called, its picture, what it does. */
export type Tool<T extends string> = readonly [T, string, LucideIcon, string]

/** Tools of which one is held, or none; what the held one does stands below. */
export function ToolGrid<T extends string>({
  label,
  tools,
  held,
  onHold,
  disabled,
  said,
  className,
}: {
  label: string
  tools: readonly Tool<T>[]
  held: T | null
  /** One was pressed: held now, or put down where it was held. */
  onHold: (tool: T, isHeld: boolean) => void
  disabled?: (tool: T) => boolean
  /** Instead of what the held one does. */
  said?: string | null
  className: string
}) {
  return (
    <>
      <div role="group" aria-label={label} className={`grid gap-1.5 ${className}`}>
        {tools.map(([t, name, Icon]) => (
          <button
            key={t}
            type="button"
            aria-pressed={held === t}
            disabled={disabled?.(t)}
            onClick={() => onHold(t, held !== t)}
            className={`flex min-h-9 flex-col items-center justify-center gap-0.5 rounded-md border py-1 text-[12.5px] disabled:opacity-45 ${held === t ? 'border-ink bg-ink text-card' : 'border-hair bg-card hover:border-graphite'}`}
          >
            <Icon size={15} aria-hidden="true" />
            {name}
          </button>
        ))}
      </div>
      {held && (
        <p className="text-[12.5px] text-graphite">
          {said ?? `${tools.find(([t]) => t === held)![3]} Esc puts the tool down.`}
        </p>
      )}
    </>
  )
}
