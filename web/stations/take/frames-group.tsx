'use client'
import { choiceOf } from '@holosoma/core/brief'
import { detailsOf } from '@holosoma/core/operations'
import { useState } from 'react'
import { Choice, DataTable, Group, Plain, Tick, Told } from '@/components/ui'
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
  // Where the brief goes on in the same scan, that is what is offered first.
  const goesOn = !!state.brief && choiceOf(state.brief.content, 'secondPose') === 'goOn'
  const dots = frames.some((f) => f[4] > 0)
  const seen = (f: (typeof frames)[number]): number => f[4]
  return (
    <Group title={`Frames of “${take.name}”: ${count || 'not known'}`} open={goesOn && !!other}>
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
              {goesOn
                ? 'The brief goes on in the same scan: one take is quicker to handle. '
                : 'The brief wants takes of their own: '}
              What stays apart is judged in Join, which finds a bad fit that going on would hide.
            </p>
          </>
        )}
      </div>
      {frames.length > 0 && (
        <DataTable
          label="Frames"
          testId="frames"
          rows={frames}
          keyOf={(_, i) => String(i)}
          columns={[
            {
              id: 'table',
              header: 'Table',
              names: true,
              sortBy: ([deg]) => deg,
              cell: ([deg, , , , , tracked]) => (
                <span className="figure">
                  {deg.toFixed(0)}°{tracked === 0 && <span className="ml-1 text-madder">lost</span>}
                </span>
              ),
            },
            { id: 'taken', header: 'on the piece', sortBy: ([, taken]) => taken, cell: ([, taken]) => grouped(taken) },
            { id: 'clipped', header: 'clipped', sortBy: ([, , v]) => v, cell: ([, , clipped]) => percent(clipped) },
            { id: 'dark', header: 'dark', sortBy: ([, , , v]) => v, cell: ([, , , starved]) => percent(starved) },
            ...(dots ? [{ id: 'dots', header: 'dots', sortBy: seen, cell: seen }] : []),
          ]}
        />
      )}
    </Group>
  )
}
