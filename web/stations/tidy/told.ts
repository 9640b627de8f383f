import type { Finding } from '@holosoma/core/findings'
import type { PieceState, TakeState } from '@holosoma/engine'
import { chainOf } from '@/lib/chain'
import { percent } from '@/lib/format'
import { ACT_NAMES, openProposals } from '@/lib/tidying'
import { ofTake } from '../take/told'
import { looked, operationOf, takesOf, type StationTold } from '../told'

const clouds = (state: PieceState): TakeState[] => takesOf(state).filter((t) => t.shape!.kind === 'cloud')
const untidied = (state: PieceState): TakeState[] => clouds(state).filter((t) => openProposals(state, t).length > 0)

export const tidyTold: StationTold = {
  foundation: 'The tidying it rests on',
  // What was found and done goes no further; what nobody has looked at is in all that is made of it.
  handsOn: (own) => own.findings.filter((f) => f.id === 'tidy.open'),
  own(state) {
    const findings = clouds(state).flatMap((take) => tidyFindings(state, take))
    return findings.length > 0 ? looked(findings) : null
  },
  figure(state) {
    const takes = takesOf(state)
    const acts = takes.flatMap((t) => chainOf(state, `take:${t.id}`).filter((s) => s.operation.startsWith('tidy.')))
    if (acts.length === 0) return ''
    const open = untidied(state).length
    if (open > 0) return `${open} still open`
    const points = takes.reduce((n, t) => n + t.shape!.points, 0)
    const before = takes.reduce((n, t) => {
      const first = chainOf(state, `take:${t.id}`)[0]
      return n + Number(first?.figures.points ?? t.shape!.points)
    }, 0)
    return `${percent(1 - points / Math.max(before, 1), 0)} off`
  },
  waitsFor(state) {
    if (state.mesh || (state.join && !state.join.stale)) return null
    const takes = takesOf(state)
    const open = untidied(state)
    if (open.length === 0) return null
    const which = open.length === takes.length ? 'The takes' : open.map((t) => `“${t.name}”`).join(', ')
    return {
      text: `${which} ${open.length === 1 && takes.length > 1 ? 'is' : 'are'} not tidy yet.`,
      move: 'Tidy the takes',
    }
  },
  works: (job) => operationOf(job).startsWith('tidy.') || job.request.kind === 'recipe',
}

/** What was done to a take at Tidy, and what is still proposed for it; nothing before the first act. */
export function tidyFindings(state: PieceState, take: TakeState): Finding[] {
  const acts = chainOf(state, `take:${take.id}`).filter((s) => s.operation.startsWith('tidy.'))
  if (acts.length === 0) return []
  const open = openProposals(state, take)
  const still: Finding[] =
    open.length === 0
      ? []
      : [
          {
            id: 'tidy.open',
            verdict: 'doubtful',
            nextMove: 'Do what is proposed',
            text:
              'Still proposed and not done: ' +
              `${open.map((s) => ACT_NAMES[s.operation].toLowerCase()).join(', ')}. Nobody has looked ` +
              'there.',
          },
        ]
  return [...still, ...acts.flatMap((s) => s.findings)].map((f) => ofTake(state, take, f))
}
