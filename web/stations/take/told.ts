import type { Finding } from '@holosoma/core/findings'
import type { PieceState, TakeState } from '@holosoma/engine'
import { chainOf } from '@/lib/chain'
import { grouped, percent } from '@/lib/format'
import { looked, operationOf, takesOf, type StationTold } from '../told'

export const takeTold: StationTold = {
  own(state) {
    if (takesOf(state).length === 0) return null
    const photos =
      chainOf(state, 'photos')
        .at(-1)
        ?.findings.filter((f) => f.verdict !== 'sound') ?? []
    const told = [...takeTroubles(state), ...photos]
    if (state.check && !state.check.stale) return looked([...state.check.step.findings, ...photos])
    // Nobody has looked whether anything is missing; troubles that were seen count all the same.
    return { findings: told, looked: told.some((f) => f.verdict !== 'sound') }
  },
  figure(state) {
    const takes = takesOf(state)
    if (takes.length === 0) return ''
    const asked = state.check && !state.check.stale ? state.check.step : null
    return (
      `${takes.length} ` +
      `${takes.length === 1 ? 'take' : 'takes'}${asked ? `, ${percent(1 - Number(asked.figures.unseen), 0)}` : ''}`
    )
  },
  waitsFor: (state) =>
    state.mesh || takesOf(state).length > 0
      ? null
      : { text: 'No takes yet: put the piece on the bench, or drop scan files.', move: 'Take it' },
  works: (job) =>
    (job.track.startsWith('take:') && !operationOf(job).startsWith('tidy.')) ||
    job.track === 'check' ||
    job.track === 'photos',
}

/** A finding of one take among several says whose it is. */
export function ofTake(state: PieceState, take: TakeState, f: Finding): Finding {
  if (takesOf(state).length < 2 || f.text.startsWith(`“${take.name}”`)) return f
  return {
    ...f,
    text: `“${take.name}”: ${f.text.charAt(0).toLowerCase()}${f.text.slice(1)}`,
    figures: f.figures?.map((g) => ({ ...g, label: `${g.label}, “${take.name}”` })),
  }
}

/** Takes of which nothing but good is to be said stand in one sentence where there are more of them. */
const MANY = 3

/** What was said of each take when it came. */
export function takeTroubles(state: PieceState): Finding[] {
  const said = takesOf(state).map((t) => ({
    t,
    step: chainOf(state, `take:${t.id}`).findLast((s) => s.operation.startsWith('take.')),
  }))
  const plain = said.filter(({ step }) => step?.findings.every((f) => f.id === 'take.inspect' && f.verdict === 'sound'))
  const points = plain.map(({ step }) => Number(step?.figures.points))
  const together: Finding[] =
    plain.length > MANY && points.every(Number.isFinite)
      ? [
          {
            id: 'take.inspect',
            verdict: 'sound',
            text:
              `${plain.length} takes came as they should: ${grouped(Math.min(...points))} to ` +
              `${grouped(Math.max(...points))} points each.`,
          },
        ]
      : []
  return [
    ...together,
    ...said.flatMap(({ t, step }) =>
      together.length > 0 && plain.some((p) => p.t === t) ? [] : (step?.findings ?? []).map((f) => ofTake(state, t, f)),
    ),
  ]
}
