'use client'
import { Group } from '@/components/ui'
import { grouped, percent } from '@/lib/format'
import { chainOf } from '@/lib/stations'
import { useDesk } from '@/lib/store'

/** Table angle, points on the piece, shares clipped and too dark, dots in view, whether the device knew its place. */
type FrameRow = readonly [deg: number, taken: number, clipped: number, starved: number, dots: number, tracked: number]

/** The frames of the take that is chosen on the contact sheet. */
export function FramesGroup() {
  const state = useDesk((d) => d.state)
  const selected = useDesk((d) => d.selectedTake)
  const take = state.takes.find((t) => t.id === selected && t.shape) ?? state.takes.find((t) => t.shape)
  const made = take && chainOf(state, `take:${take.id}`).findLast((s) => s.operation === 'take.simulate')
  if (!take || !made || typeof made.figures.frameList !== 'string') return null
  const frames = JSON.parse(made.figures.frameList) as FrameRow[]
  const dots = frames.some((f) => f[4] > 0)
  return (
    <Group title={`Frames of “${take.name}”: ${frames.length}`}>
      <table className="w-full text-[13px]" data-testid="frames">
        <thead><tr className="text-left text-graphite"><th className="py-1 font-normal">Table</th><th className="text-right font-normal">on the piece</th><th className="text-right font-normal">clipped</th><th className="text-right font-normal">dark</th>{dots && <th className="text-right font-normal">dots</th>}</tr></thead>
        <tbody>
          {frames.map(([deg, taken, clipped, starved, seen, tracked], i) => (
            <tr key={i} className="border-t border-[#e9e3d5]"><th scope="row" className="figure py-1 text-left font-normal">{deg.toFixed(0)}°{tracked === 0 && <span className="ml-1 text-madder">lost</span>}</th><td className="figure text-right">{grouped(taken)}</td><td className="figure text-right">{percent(clipped)}</td><td className="figure text-right">{percent(starved)}</td>{dots && <td className="figure text-right">{seen}</td>}</tr>
          ))}
        </tbody>
      </table>
    </Group>
  )
}
