'use client'
import { useDesk } from '@/lib/store'

/** Whether colours count in the next match: as asked here, else as in the last one. */
export function useColours(): boolean {
  const chosen = useDesk((d) => d.joinColours)
  const last = useDesk((d) => (d.state.join?.step.params as { colours?: boolean } | undefined)?.colours ?? false)
  return chosen ?? last
}

export function ColourToggle() {
  const colours = useColours()
  const set = useDesk((d) => d.set)
  return (
    <label
      className="flex min-h-8 items-start gap-1.5 py-1 text-[13px]"
      title="They choose where shape leaves more than one pose, and hold what it lets slide."
    >
      <input
        type="checkbox"
        checked={colours}
        onChange={(e) => set({ joinColours: e.target.checked })}
        className="mt-0.5 h-4 w-4 shrink-0 accent-[var(--color-verdigris)]"
      />
      <span>
        colours count, too{' '}
        <span className="text-graphite">(under even light only: shadows and highlights look like paint)</span>
      </span>
    </label>
  )
}
