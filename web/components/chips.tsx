'use client'
import { useDesk, type View } from '@/lib/store'

/** What the stage shows, of the views a station has. */
export function Chips({ options }: { options: readonly (readonly [View, string])[] }) {
  const chosen = useDesk((d) => d.view)
  const set = useDesk((d) => d.set)
  // A view of another station stands for this one's first.
  const view = options.some(([v]) => v === chosen) ? chosen : options[0][0]
  return (
    <div
      role="group"
      aria-label="What the stage shows"
      className="absolute top-3 left-3.5 flex overflow-hidden rounded-[7px] border border-hair bg-card"
    >
      {options.map(([v, label]) => (
        <button
          key={v}
          type="button"
          aria-pressed={view === v}
          onClick={() => set({ view: v })}
          className={`min-h-8 border-r border-hair px-3 text-[13px] last:border-r-0 ${view === v ? 'bg-ink text-card' : ''}`}
        >
          {label}
        </button>
      ))}
    </div>
  )
}
