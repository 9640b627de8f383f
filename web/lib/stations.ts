import type { Verdict } from '@holosoma/core/findings'
import type { PieceState } from '@holosoma/engine'
import { mm, percent, short } from './format'
import { chainOf } from './chain'
import { joinTold } from './joining'
import type { Station } from './station-names'
import { openProposals } from './tidying'
import { healthStep, judge } from './verdicts'

export { STATION_NAMES, STATIONS, type Station } from './station-names'

export interface Stop {
  readonly station: Station
  /** null while the station has not been reached, or nobody has looked. */
  readonly verdict: Verdict | null
  readonly figure: string
}

export function stops(state: PieceState): Stop[] {
  const takes = state.takes.filter((t) => t.shape)
  const tidied = takes.flatMap((t) => chainOf(state, `take:${t.id}`).filter((s) => s.operation.startsWith('tidy.')))
  const points = takes.reduce((n, t) => n + t.shape!.points, 0)
  const before = takes.reduce((n, t) => {
    const first = chainOf(state, `take:${t.id}`)[0]
    return n + Number(first?.figures.points ?? t.shape!.points)
  }, 0)
  const join = state.join
  const mesh = state.mesh
  const first = mesh?.chain[0]
  const health = mesh && healthStep(mesh.chain)
  const size = mesh?.chain.findLast((s) => s.operation === 'size.scale')
  const brief = state.brief?.content
  const asked = state.check && !state.check.stale ? state.check.step : null
  const plan = state.plan
  const open = takes.filter((t) => t.shape!.kind === 'cloud' && openProposals(state, t).length > 0).length
  const stop = (station: Station, figure: string): Stop => ({ station, verdict: judge(state, station).verdict, figure })
  return [
    stop('brief', brief ? `${brief.detailMm} mm` : ''),
    stop('plan', plan ? (plan.outlook?.figure ?? `${plan.content.takes.length} takes`) : ''),
    stop(
      'take',
      takes.length > 0
        ? `${takes.length} ${takes.length === 1 ? 'take' : 'takes'}${asked ? `, ${percent(1 - Number(asked.figures.unseen), 0)}` : ''}`
        : '',
    ),
    stop(
      'tidy',
      tidied.length === 0
        ? ''
        : open > 0
          ? `${open} still open`
          : `${percent(1 - points / Math.max(before, 1), 0)} off`,
    ),
    stop('join', join?.stale ? 'takes changed' : join ? joinFigure(join) : ''),
    stop(
      'skin',
      !mesh
        ? ''
        : mesh.stale
          ? 'join changed'
          : first?.operation === 'skin.adopt'
            ? `imported, ${short(Number(first.figures.faces))}`
            : `${first?.figures.spacingMm} mm, ${short(Number(first?.figures.faces ?? 0))}`,
    ),
    stop(
      'mend',
      !health
        ? ''
        : health.figures.closed
          ? 'closed'
          : Number(health.figures.holes) > 0
            ? `${health.figures.holes} ${Number(health.figures.holes) === 1 ? 'hole' : 'holes'}`
            : 'not closed',
    ),
    stop('size', size ? `× ${Number(Number(size.figures.factor ?? 1).toPrecision(5))}` : ''),
    stop('release', ''),
  ]
}

/** The one figure that matters: what moves, what looks alike, or how well it fits. */
function joinFigure(join: NonNullable<PieceState['join']>): string {
  if (join.accepted) return 'accepted'
  const { slides, alternatives } = joinTold(join)
  const free = slides.filter((s) => s.free).length
  if (free > 0) return free === 1 ? 'slides' : `${free} ways to slide`
  const alike = alternatives.filter((a) => a.asWell).length
  if (alike > 0) return alike === 1 ? 'a look-alike' : `${alike} look-alikes`
  if (alternatives.length > 0) return 'another pose?'
  return `${mm(Number(join.step.figures.p95Mm ?? 0))}, ${percent(Number(join.step.figures.overlap ?? 0), 0)}`
}

/** What the piece waits for, in a sentence and a button's words; the shelf and the card share it. */
export function nextMove(state: PieceState): { text: string; move: string; station: Station } {
  const takes = state.takes.filter((t) => t.shape)
  const running = state.jobs.find((j) => j.state === 'running' || j.state === 'queued')
  if (running)
    return {
      text: `${running.title}: ${Math.round(running.progress * 100)} %.`,
      move: 'Watch or cancel',
      station: stationOfTrack(running.track, running.request.kind === 'operation' ? running.request.operation : ''),
    }
  if (state.mesh) {
    const { findings, verdict } = judge(state, 'release')
    const text = findings.find((f) => f.verdict === verdict)?.text ?? 'The skin is made, healthy and of true size.'
    if (state.mesh.stale)
      return {
        text: 'The takes or their join changed after this skin was made.',
        move: 'Make the skin again',
        station: 'skin',
      }
    if (!state.mesh.chain.some((s) => s.figures.closed !== undefined && s.operation !== 'skin.make'))
      return { text, move: 'Check its health', station: 'mend' }
    if (!state.mesh.chain.some((s) => s.operation === 'size.scale'))
      return { text, move: 'Check its size', station: 'size' }
    return { text, move: 'Open the release', station: 'release' }
  }
  if (takes.length === 0 && !state.brief)
    return {
      text: 'Nothing is known of it yet: write the brief, or drop scan files.',
      move: 'Write the brief',
      station: 'brief',
    }
  if (takes.length === 0 && !state.plan)
    return { text: 'The brief is written; the session is not planned yet.', move: 'Plan the session', station: 'plan' }
  if (takes.length === 0 && state.plan?.outlook && state.plan.outlook.verdict !== 'sound')
    return { text: state.plan.outlook.text, move: 'Look at the plan', station: 'plan' }
  if (takes.length === 0)
    return { text: 'No takes yet: put the piece on the bench, or drop scan files.', move: 'Take it', station: 'take' }
  if (state.join && !state.join.stale) {
    const { findings, verdict } = judge(state, 'join')
    const text = findings.find((f) => f.verdict === verdict)?.text ?? 'The takes are joined.'
    return verdict === 'unsound' && !state.join.accepted
      ? { text, move: 'Look at the join', station: 'join' }
      : { text, move: 'Make the skin', station: 'skin' }
  }
  const untidied = takes.filter((t) => t.shape!.kind === 'cloud' && openProposals(state, t).length > 0)
  if (untidied.length > 0)
    return {
      text: `${untidied.length === takes.length ? 'The takes' : untidied.map((t) => `“${t.name}”`).join(', ')} ${untidied.length === 1 && takes.length > 1 ? 'is' : 'are'} not tidy yet.`,
      move: 'Tidy the takes',
      station: 'tidy',
    }
  if (takes.length > 1)
    return { text: `${takes.length} tidy takes wait to be joined.`, move: 'Join the takes', station: 'join' }
  return { text: 'One take is here and tidy.', move: 'Make the skin', station: 'skin' }
}

function stationOfTrack(track: string, operation: string): Station {
  if (operation.startsWith('tidy.')) return 'tidy'
  if (track.startsWith('take:')) return 'take'
  if (track === 'join') return 'join'
  if (operation.startsWith('mend.')) return 'mend'
  return operation.startsWith('size.') ? 'size' : 'skin'
}
