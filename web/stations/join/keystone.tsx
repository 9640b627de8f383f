'use client'
import { proxy } from 'comlink'
import { useEffect, useState } from 'react'
import type { Proposal } from '@holosoma/core/plan'
import { Plain, Primary } from '@/components/ui'
import { useDocument } from '@/lib/documents'
import { currentBrief, firstProblem, planFor, slowPlanner, useBrief } from '@/lib/plan-desk'
import { useDesk } from '@/lib/store'
import { proposalWords } from '../plan/proposal-words'

/** A take is a keystone when it leaves so much less play, or fewer free motions. */
const HOLDS_BETTER = 0.6

type Search =
  | { readonly state: 'looking'; readonly fraction: number }
  | { readonly state: 'found'; readonly proposal: Proposal }
  | { readonly state: 'none'; readonly why: string }

/**
 * The take that would hold what these takes let slide, worked out by the plan's engine from the takes that were joined.
 */
export function Keystone({ joined }: { joined: readonly string[] }) {
  const brief = useBrief()
  const { value: plan, change } = useDocument('plan', () => planFor(currentBrief()), firstProblem)
  const set = useDesk((d) => d.set)
  const [search, setSearch] = useState<Search>({ state: 'looking', fraction: 0 })
  const key = JSON.stringify([plan, joined])
  useEffect(() => {
    let current = true
    const stop = new SharedArrayBuffer(4)
    const end = (s: Search): void => {
      if (current) setSearch(s)
    }
    setSearch({ state: 'looking', fraction: 0 })
    void (async () => {
      const own = { ...plan, takes: plan.takes.filter((t) => joined.includes(t.name)) }
      if (own.takes.length < 2)
        return end({
          state: 'none',
          why:
            'These takes are not those of the plan, so that it can’t say which one more would hold them. ' +
            'One that sees what both share from the side would.',
        })
      const draw = await slowPlanner().setUp(plan.standIn, [brief.lengthMm, brief.widthMm, brief.heightMm])
      if ('error' in draw) return end({ state: 'none', why: draw.error })
      const details = await slowPlanner().details(
        own,
        brief,
        stop,
        proxy((fraction: number) => end({ state: 'looking', fraction })),
      )
      if (!details) return
      if ('error' in details) return end({ state: 'none', why: details.error })
      const { proposal } = details
      if (
        !proposal ||
        (proposal.freeAfter >= proposal.freeBefore && proposal.playAfterMm >= HOLDS_BETTER * proposal.playBeforeMm)
      )
        return end({
          state: 'none',
          why:
            'On the plan’s stand-in these takes hold. A take that sees what both share from the side ' +
            'would hold the piece itself.',
        })
      end({ state: 'found', proposal })
    })().catch((e: Error) => end({ state: 'none', why: e.message }))
    return () => {
      current = false
      Atomics.store(new Int32Array(stop), 0, 1)
    }
    // eslint-disable-next-line react-hooks/exhaustive-deps -- the key says it all
  }, [key])
  if (search.state === 'looking')
    return (
      <p role="status" className="text-[13px] text-graphite" data-testid="keystone">
        Looking for the take that would hold them, {Math.round(search.fraction * 100)} %
      </p>
    )
  if (search.state === 'none')
    return (
      <div className="grid gap-2">
        <p className="text-[13px] text-graphite" data-testid="keystone">
          {search.why}
        </p>
        <Primary onClick={() => set({ station: 'plan' })}>Plan a keystone take</Primary>
      </div>
    )
  const { proposal } = search
  const add = (): void => {
    change({ ...plan, takes: [...plan.takes, proposal.take] })
    set({ station: 'take' })
  }
  return (
    <div className="grid gap-2">
      <Primary onClick={add}>Add keystone take: {proposal.take.name}</Primary>
      <p className="text-[13px] text-graphite" data-testid="keystone">
        {proposalWords(proposal)} It goes into the plan, and is taken next.
      </p>
      <Plain onClick={() => set({ station: 'plan' })}>Look at it in the plan</Plain>
    </div>
  )
}
