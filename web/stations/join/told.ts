import type { Finding } from '@holosoma/core/findings'
import type { PieceState } from '@holosoma/engine'
import { mm, percent } from '@/lib/format'
import { joinTold as detailsTold, toJoin, unplacedTakes } from '@/lib/joining'
import { looked, speaks, type StationTold } from '../told'

export const joinTold: StationTold = {
  foundation: 'The join it rests on',
  own(state) {
    const { join } = state
    if (!join) return null
    const told = [...leftOut(state), ...join.step.findings.filter((f) => f.id !== 'join.lost' || stillLost(state))]
    if (join.stale)
      return looked([
        {
          id: 'join.stale',
          verdict: 'doubtful',
          text: 'The takes changed after this join. Match again, so that it holds for what is there now.',
        },
        ...told,
      ])
    if (!join.accepted) return looked(told)
    // A person stands for it: doubtful, whatever the match found; that stays to be read.
    return looked([
      { id: 'join.accepted', verdict: 'doubtful', text: `Accepted against advice: ${join.accepted}` },
      ...told.map((f): Finding => (f.verdict === 'unsound' ? { ...f, verdict: 'doubtful' } : f)),
    ])
  },
  figure: ({ join }) => (!join ? '' : join.stale ? 'takes changed' : fits(join)),
  waitsFor(state, judged) {
    const { mesh, join } = state
    const takes = toJoin(state).length
    if (mesh) return null
    if (!join || join.stale)
      return takes > 1 ? { text: `${takes} tidy takes wait to be joined.`, move: 'Join the takes' } : null
    const judgement = judged('join')
    return judgement.verdict === 'unsound' && !join.accepted
      ? { text: speaks(judgement)!, move: 'Look at the join' }
      : null
  },
  works: (job) => job.track === 'join',
}

/** Takes that found no place hold the join up until they are placed, or left out. */
const stillLost = (state: PieceState): boolean => unplacedTakes(state).length > 0

/** That some of what was matched counts for nothing is said, and is no fault of the others. */
function leftOut({ join, takes }: PieceState): Finding[] {
  const out = takes.filter((t) => t.shape && !t.inJoin && join!.calledThen[t.id] !== undefined)
  if (out.length === 0) return []
  const names = out.map((t) => `“${t.name}”`).join(', ')
  return [
    {
      id: 'join.leftOut',
      verdict: 'sound',
      text: `${names} ${out.length === 1 ? 'is' : 'are'} left out; nothing that is said here counts ${out.length === 1 ? 'it' : 'them'}.`,
    },
  ]
}

/** The one figure of a join: what moves, what looks alike, or how well it fits. */
function fits(join: NonNullable<PieceState['join']>): string {
  if (join.accepted) return 'accepted'
  const { slides, alternatives } = detailsTold(join)
  const free = slides.filter((s) => s.free).length
  if (free > 0) return free === 1 ? 'slides' : `${free} ways to slide`
  const alike = alternatives.filter((a) => a.asWell).length
  if (alike > 0) return alike === 1 ? 'a look-alike' : `${alike} look-alikes`
  if (alternatives.length > 0) return 'another pose?'
  return `${mm(Number(join.step.figures.p95Mm ?? 0))}, ${percent(Number(join.step.figures.overlap ?? 0), 0)}`
}
