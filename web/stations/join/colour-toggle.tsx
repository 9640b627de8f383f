'use client'
import { coloursCount } from '@holosoma/core/brief'
import { Tick } from '@/components/ui'
import { useDesk } from '@/lib/store'

/** Whether colours count in the next match: as asked here, else as in the last one, else as the brief has it. */
export function useColours(): boolean {
  const chosen = useDesk((d) => d.joinColours)
  const last = useDesk((d) => (d.state.join?.step.params as { colours?: boolean } | undefined)?.colours)
  const brief = useDesk((d) => d.state.brief?.content)
  return chosen ?? last ?? (brief !== undefined && coloursCount(brief))
}

export function ColourToggle() {
  const colours = useColours()
  const set = useDesk((d) => d.set)
  return (
    <Tick
      title="They choose where shape leaves more than one pose, and hold what it lets slide."
      checked={colours}
      onChange={(v) => set({ joinColours: v })}
      className="items-start py-1"
    >
      colours count, too{' '}
      <span className="text-graphite">(under even light only: shadows and highlights look like paint)</span>
    </Tick>
  )
}
