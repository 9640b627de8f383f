'use client'
import { detailsOf } from '@holosoma/core/operations/details'
import { useState } from 'react'
import { Choice, Group, Plain, Tick, Told } from '@/components/ui'
import { grouped, percent } from '@/lib/format'
import { chainOf, frameCount, framesPlaced } from '@/lib/chain'
import { attempt, submit, useBusy, useDesk } from '@/lib/store'

/**
 * The take that is chosen on the contact sheet: its frames, whether they fit each other, and going on with another
 * take.
 */
export function FramesGroup() {
  const state = useDesk((d) => d.state)
  const selected = useDesk((d) => d.selectedTake)
  const busy = useBusy()
  const [otherId, setOtherId] = useState<number | null>(null)
  const [same, setSame] = useState(false)
  const take = state.takes.find((t) => t.id === selected && t.shape) ?? state.takes.find((t) => t.shape)
  if (!take || take.shape!.kind === 'mesh') return null
  const chain = chainOf(state, `take:${take.id}`)
  const made = chain.findLast((s) => s.operation === 'take.simulate')
  const matched = chain.findLast(
    (s) => s.operation === 'take.matchFrames' || s.operation === 'take.settleFrames' || s.operation === 'take.goOn',
  )
  const frames = detailsOf(made, 'take.simulate')?.frames ?? []
  const count = frameCount(state, take.id)
  const others = state.takes.filter((t) => t.id !== take.id && t.shape?.kind === 'cloud')
  const other = others.find((t) => t.id === otherId) ?? others[0]
  if (count === 0 && !other) return null
  const dots = frames.some((f) => f[4] > 0)
  return (
    <Group title={`Frames of “${take.name}”: ${count || 'not known'}`}>
      <div className="grid gap-2" data-testid="frame-tools">
        {matched?.findings.map((f) => (
          <Told key={f.id} verdict={f.verdict}>
            {f.text}
          </Told>
        ))}
        {count > 1 && (
          <Plain
            disabled={busy || take.locked}
            className="py-2"
            onClick={() =>
              attempt(() =>
                submit({
                  operation: 'take.matchFrames',
                  takeId: take.id,
                  params: { placed: framesPlaced(state, take.id) },
                }),
              )
            }
          >
            Match the frames of “{take.name}”
          </Plain>
        )}
        {other && (
          <>
            <div className="flex flex-wrap items-center gap-x-4 gap-y-1.5 text-[13px]">
              <label className="flex min-w-0 items-center gap-1.5">
                goes on with
                <Choice
                  value={other.id}
                  options={others.map((t) => [t.id, `${t.ordinal} ${t.name}`] as const)}
                  onChange={(v) => setOtherId(v)}
                />
              </label>
              <Tick checked={same} onChange={(v) => setSame(v)}>
                nothing was moved between them
              </Tick>
            </div>
            <Plain
              disabled={busy || take.locked || other.locked}
              className="py-2"
              onClick={() =>
                attempt(() =>
                  submit({ operation: 'take.goOn', takeId: take.id, params: { with: other.id, sameSetup: same } }),
                )
              }
            >
              Make “{take.name}” and “{other.name}” one take
            </Plain>
            <p className="text-[12.5px] text-graphite">
              One take is quicker to handle; takes of their own are judged in Join, which finds a bad fit that going on
              would hide.
            </p>
          </>
        )}
      </div>
      {frames.length > 0 && (
        <table className="w-full text-[13px]" data-testid="frames">
          <thead>
            <tr className="text-left text-graphite">
              <th className="py-1 font-normal">Table</th>
              <th className="text-right font-normal">on the piece</th>
              <th className="text-right font-normal">clipped</th>
              <th className="text-right font-normal">dark</th>
              {dots && <th className="text-right font-normal">dots</th>}
            </tr>
          </thead>
          <tbody>
            {frames.map(([deg, taken, clipped, starved, seen, tracked], i) => (
              <tr key={i} className="border-t border-[#e9e3d5]">
                <th scope="row" className="figure py-1 text-left font-normal">
                  {deg.toFixed(0)}°{tracked === 0 && <span className="ml-1 text-madder">lost</span>}
                </th>
                <td className="figure text-right">{grouped(taken)}</td>
                <td className="figure text-right">{percent(clipped)}</td>
                <td className="figure text-right">{percent(starved)}</td>
                {dots && <td className="figure text-right">{seen}</td>}
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </Group>
  )
}
