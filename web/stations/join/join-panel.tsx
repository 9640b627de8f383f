'use client'
import { CircleDot, Crosshair, Shapes } from 'lucide-react'
import { useMemo } from 'react'
import type { Verdict } from '@holosoma/core'
import { NO_DOTS } from '@holosoma/core/plan'
import { Findings } from '@/components/finding'
import { ResidualChart } from '@/components/residual-chart'
import { Group, Plain, Primary } from '@/components/ui'
import { judge } from '../road'
import { joinTold, toJoin, unplacedTakes } from '@/lib/joining'
import { leaveOutUnplaced } from '@/lib/leaving'
import { attempt, submit, useBusy, useDesk } from '@/lib/store'
import { AcceptGroup } from './accept-group'
import { AlternativesGroup } from './alternatives-group'
import { ColourToggle, useColours } from './colour-toggle'
import { Keystone } from './keystone'
import { FramesSettle } from './frames-settle'
import { MoveGroup } from './move-group'
import { OrderList } from './order-list'
import { PairGraph } from './pair-graph'
import { PickGroup } from './pick-group'

const matchAgain = (params: object = {}): Promise<void> =>
  attempt(async () => {
    await submit({ operation: 'join.match', params })
    useDesk.getState().set({ picking: false, alternative: null, nudge: null, view: 'takes' })
  })

/** Do the takes fit? By shape or by picks, what the join found, and what a hand may do about it. */
export function JoinPanel() {
  const state = useDesk((d) => d.state)
  const picking = useDesk((d) => d.picking)
  const set = useDesk((d) => d.set)
  const takes = toJoin(state)
  const busy = useBusy()
  const colours = useColours()
  if (takes.length < 2) {
    return (
      <>
        <h2 className="mb-2 font-caption text-[21px] leading-tight font-semibold">Do the takes fit?</h2>
        <p className="font-caption text-[16px]">
          Joining needs two takes; there {takes.length === 1 ? 'is one' : 'are none'}
          {takes.length < state.takes.filter((t) => t.shape).length ? ' that is not left out' : ''}.
        </p>
        <div className="mt-3">
          <Primary onClick={() => set({ station: takes.length === 1 ? 'skin' : 'take' })}>
            {takes.length === 1 ? 'Make the skin from this one' : 'Go to Take'}
          </Primary>
        </div>
      </>
    )
  }
  return (
    <>
      <h2 className="mb-2 font-caption text-[21px] leading-tight font-semibold">Do the takes fit?</h2>
      {picking || !state.join ? (
        <>
          {!state.join && (
            <div className="mb-3 grid gap-2">
              <Primary disabled={busy} onClick={() => matchAgain({ byShape: true, colours })}>
                Match by shape
              </Primary>
              <p className="text-[13px] text-graphite">
                Finds how the takes lie to each other by itself, and says whether to trust it. Or pick pairs:
              </p>
              <ColourToggle />
            </div>
          )}
          <PickGroup />
        </>
      ) : (
        <Joined />
      )}
    </>
  )
}

function Joined() {
  const state = useDesk((d) => d.state)
  const view = useDesk((d) => d.view)
  const set = useDesk((d) => d.set)
  const busy = useBusy()
  const colours = useColours()
  const ownViews = (state.join!.step.params as { ownViews?: boolean }).ownViews ?? true
  const match = (params: object = {}): Promise<void> => matchAgain({ colours, ownViews, ...params })
  const join = state.join!
  const singleLooks = Number(join.step.figures.ownViews ?? 0) + Number(join.step.figures.guessedLooks ?? 0)
  const takes = toJoin(state)
  const fixed = takes.find((t) => t.fixed) ?? takes[0]
  const unplaced = takes.filter((t) => t !== fixed && !join.motions[t.name])
  const leaveOut = (): Promise<void> => attempt(() => leaveOutUnplaced(state))
  const figures = useMemo(() => joinTold(join), [join])
  const verdict = join.step.figures.verdict as Verdict | undefined
  const slides = join.step.findings.some((f) => f.id === 'join.slide' && f.verdict !== 'sound')
  const open = (slides || figures.alternatives.length > 0) && !join.accepted
  // A round piece fits itself however often it is taken: only a mark on it helps.
  const keystone = slides && join.step.figures.round !== true
  const dotMm = state.plan?.content.dots.diameterMm ?? NO_DOTS.diameterMm
  return (
    <>
      <Findings findings={judge(state, 'join').findings} />
      {join.stale && unplaced.length === 0 ? (
        <Primary disabled={busy} onClick={() => match()}>
          Match again from here
        </Primary>
      ) : unplaced.length > 0 ? (
        <div className="grid gap-2">
          <Primary disabled={busy} onClick={() => match()}>
            Place “{unplaced[0].name}” by shape
          </Primary>
          <Plain disabled={busy} onClick={() => set({ picking: true, pairs: [] })}>
            Pick pairs for it
          </Plain>
          {unplacedTakes(state).length > 0 && (
            <Plain disabled={busy} onClick={leaveOut}>
              {unplaced.length === 1 ? 'Leave it out' : `Leave these ${unplaced.length} out`}
            </Plain>
          )}
        </div>
      ) : open ? (
        keystone ? (
          <Keystone joined={takes.filter((t) => join.motions[t.name]).map((t) => t.name)} />
        ) : (
          <Primary onClick={() => set({ picking: true, pairs: [] })}>Settle it with picks</Primary>
        )
      ) : (
        <Primary onClick={() => set({ station: 'skin' })}>Go on to Skin</Primary>
      )}
      <div className="mt-3">
        {figures.alternatives.length > 0 && (
          <Group
            title={`${figures.alternatives.every((a) => a.asWell) ? 'Poses that fit as well' : 'Poses that are possible'}: ${figures.alternatives.length + 1}`}
            open
          >
            <AlternativesGroup takes={takes} alternatives={figures.alternatives} />
          </Group>
        )}
        <Group title="Match by" open>
          <div className="grid grid-cols-2 gap-2">
            <Plain
              className="flex items-center justify-center gap-1.5"
              onClick={() => set({ picking: true, pairs: [] })}
            >
              <Crosshair size={15} aria-hidden="true" /> Picks
            </Plain>
            <Plain
              disabled={busy}
              className="flex items-center justify-center gap-1.5"
              onClick={() => match({ byShape: true })}
            >
              <Shapes size={15} aria-hidden="true" /> Shape
            </Plain>
            <Plain
              disabled={busy}
              title={`Dots of ${dotMm} mm that are stuck on the piece`}
              className="flex items-center justify-center gap-1.5"
              onClick={() => match({ dotsMm: dotMm })}
            >
              <CircleDot size={15} aria-hidden="true" /> Dots
            </Plain>
            <Plain disabled={busy} onClick={() => match()}>
              Match again
            </Plain>
          </div>
          <ColourToggle />
          {(singleLooks > 0 || !ownViews) && (
            <Plain disabled={busy} onClick={() => match({ byShape: true, ownViews: !ownViews })}>
              {ownViews ? 'They are not single looks' : 'They may be single looks'}
            </Plain>
          )}
        </Group>
        {figures.pairs.length > 0 && (
          <Group title="Pairs and order" open={takes.length > 2}>
            <PairGraph takes={takes.filter((t) => join.motions[t.name])} figures={figures} />
            {figures.links.length > 1 && (
              <OrderList
                key={join.step.id}
                figures={figures}
                disabled={busy}
                onMatch={(first) => match({ byShape: true, first })}
              />
            )}
          </Group>
        )}
        <Group title="Frames">
          <FramesSettle takes={takes.filter((t) => join.motions[t.name])} />
        </Group>
        <Group title="Distances where they meet" open={takes.length === 2}>
          {figures.pairs.slice(0, 6).map((p) => (
            <ResidualChart
              key={`${p.fixed} ${p.take}`}
              take={figures.pairs.length > 1 ? `${p.take} (against ${p.fixed})` : p.take}
              histogram={p.histogram}
            />
          ))}
        </Group>
        <Group title="Move by hand">
          <MoveGroup takes={takes} />
        </Group>
        {verdict && verdict !== 'sound' && !join.accepted && !join.stale && (
          <Group title="Trust it all the same">
            <AcceptGroup />
          </Group>
        )}
        <p className="figure border-t border-rule pt-2 text-[12px] text-graphite">
          {String(join.step.figures.iterations)} rounds, {String(join.step.figures.stop)}; fixed take: {fixed?.name}
        </p>
        {view === 'residual' && (
          <p className="mt-1 text-[12.5px] text-graphite">
            Residual: indigo touches, umber stands apart by twice the scatter or more; grey has no partner.
          </p>
        )}
      </div>
    </>
  )
}
