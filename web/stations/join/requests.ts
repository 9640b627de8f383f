import type { PieceState } from '@holosoma/engine'
import { choiceOf, requirementsOf } from '@holosoma/core/brief'
import { poseOf } from '@/lib/take-groups'
import type { Asked, Ground, Rules } from '@/requests/request'

export const joinRules: Rules = {
  'join.match': {
    takes: (_state, ready) => ready.filter((t) => t.inJoin),
    refuse: (_state, { takes }) =>
      takes.length < 2
        ? 'Joining needs two takes or more; take or import another one, or take one in that was left out.'
        : null,
    params: matchParams,
    title: (_state, _ground, asked) =>
      asked.params.byShape === true ? 'Matching the takes by shape' : 'Matching the takes',
  },
  'join.accept': {
    refuse: ({ join }) =>
      !join || join.stale
        ? 'There is no join that stands; match the takes first.'
        : join.step.figures.verdict === 'sound'
          ? 'This join is sound; there is nothing to accept against advice.'
          : null,
    params: (state, _ground, asked) => ({
      reason: asked.params.reason,
      verdict: state.join!.step.figures.verdict,
    }),
  },
}

/** What the brief allows, where there is one. */
const toleranceOf = (state: PieceState): number | null =>
  state.brief ? requirementsOf(state.brief.content).toleranceMm : null

const listed = (value: unknown): { b?: { take?: string } }[] =>
  Array.isArray(value) ? (value as { b?: { take?: string } }[]) : []

/** What stays joined from before is a start for the next match; by shape nothing is taken as known. */
function matchParams(state: PieceState, { takes }: Ground, asked: Asked): Record<string, unknown> {
  const names = takes.map((t) => t.name)
  const fixed = takes.find((t) => t.fixed) ?? takes[0]
  const { byShape, together, ...given } = asked.params
  // A take that was picked on anew comes to where the picks put it.
  const picked = [...listed(given.picks), ...listed(given.areas)].map((p) => p.b?.take)
  const known = Object.fromEntries(
    Object.entries(byShape === true ? {} : (state.join?.motions ?? {})).filter(
      ([n]) => names.includes(n) && !picked.includes(n),
    ),
  )
  // Locked takes keep their places to the fixed one.
  const locked = takes.filter((t) => t !== fixed && t.locked && Object.hasOwn(known, t.name))
  const groups = locked.length > 0 ? [[fixed.name, ...locked.map((t) => t.name)]] : []
  // Takes of a pose that keep their places to each other move as one.
  const one = Array.isArray(together) ? together.filter((n) => typeof n === 'string' && Object.hasOwn(known, n)) : []
  if (one.length > 1 && !one.some((n) => groups.flat().includes(n as string))) groups.push(one as string[])
  const poses = byShape === true ? onePoseFirst(state, takes) : []
  return { names, fixed: fixed.name, initial: known, groups, poses, toleranceMm: toleranceOf(state), ...given }
}

/** Poses of the takes, where several are told apart and the brief would have those of one matched before all others. */
function onePoseFirst({ brief }: PieceState, takes: Ground['takes']): string[] {
  if (brief && choiceOf(brief.content, 'onePose') !== 'first') return []
  const poses = takes.map(poseOf)
  const told = new Set(poses).size
  return told > 1 && told < takes.length ? poses : []
}
