import { worst, type Verdict } from '@holosoma/core/findings'
import { trapsOf } from '@holosoma/core/brief/requirements'
import type { Facts } from '@holosoma/core/brief/checklist'
import type { PieceState, StepRecord } from '@holosoma/engine'
import type { PlannedTake } from '@holosoma/core/plan/takes'
import { mm, percent, short } from './format'
import { joinFigures } from './joining'

export const STATIONS = ['brief', 'plan', 'take', 'tidy', 'join', 'skin', 'mend', 'size', 'release'] as const
export type Station = (typeof STATIONS)[number]

export const STATION_NAMES: Readonly<Record<Station, string>> = { brief: 'Brief', plan: 'Plan', take: 'Take', tidy: 'Tidy', join: 'Join', skin: 'Skin', mend: 'Mend', size: 'Size', release: 'Release' }

export interface Stop {
  readonly station: Station
  /** null while the station has not been reached. */
  readonly verdict: Verdict | null
  readonly figure: string
}

const verdictOf = (step: StepRecord | undefined): Verdict => worst(step?.findings ?? [])

/** The way of a take from its first step to where its head stands. */
export function chainOf(state: PieceState, track: string): StepRecord[] {
  const active = new Set(state.activeSteps)
  return state.steps.filter((s) => s.track === track && active.has(s.id))
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
  const health = mesh ? [...mesh.chain].reverse().find((s) => s.figures.closed !== undefined && s.operation !== 'skin.make') : undefined
  const size = mesh ? [...mesh.chain].reverse().find((s) => s.operation === 'size.scale') : undefined
  const stop = (station: Station, reached: boolean, verdict: Verdict, figure: string): Stop => ({ station, verdict: reached ? verdict : null, figure: reached ? figure : '' })
  const brief = state.brief?.content
  const asked = state.check && !state.check.stale ? state.check.step : null
  const plan = state.plan
  return [
    stop('brief', !!brief, brief && trapsOf(brief).some((t) => t.blocking) ? 'doubtful' : 'sound', brief ? `${brief.detailMm} mm` : ''),
    stop('plan', !!plan, plan?.outlook?.verdict ?? 'doubtful', plan ? plan.outlook?.figure ?? `${plan.content.takes.length} takes` : ''),
    stop('take', takes.length > 0, asked?.findings[0]?.verdict ?? 'sound', `${takes.length} ${takes.length === 1 ? 'take' : 'takes'}${asked ? `, ${percent(1 - Number(asked.figures.unseen), 0)}` : ''}`),
    stop('tidy', tidied.length > 0, worst(tidied.flatMap((t) => t.findings)), `${percent(1 - points / Math.max(before, 1), 0)} off`),
    stop('join', !!join, join?.stale || join?.accepted ? 'doubtful' : verdictOf(join?.step), join?.stale ? 'takes changed' : join ? joinFigure(join) : ''),
    stop('skin', !!mesh, mesh?.stale ? 'doubtful' : verdictOf(first), mesh?.stale ? 'join changed' : first?.operation === 'skin.adopt' ? `imported, ${short(Number(first.figures.faces))}` : `${first?.figures.spacingMm} mm, ${short(Number(first?.figures.faces ?? 0))}`),
    stop('mend', !!health, verdictOf(health), health?.figures.closed ? 'closed' : `${health?.figures.holes} ${Number(health?.figures.holes) === 1 ? 'hole' : 'holes'}`),
    stop('size', !!size, verdictOf(size), `× ${Number(Number(size?.figures.factor ?? 1).toPrecision(5))}`),
    stop('release', false, 'sound', ''),
  ]
}

/** The one figure that matters: what moves, what looks alike, or how well it fits. */
function joinFigure(join: NonNullable<PieceState['join']>): string {
  if (join.accepted) return 'accepted'
  const { slides, alternatives } = joinFigures(join)
  const free = slides.filter((s) => s.free).length
  if (free > 0) return free === 1 ? 'slides' : `${free} ways to slide`
  const alike = alternatives.filter((a) => a.asWell !== false).length
  if (alike > 0) return alike === 1 ? 'a look-alike' : `${alike} look-alikes`
  if (alternatives.length > 0) return 'another pose?'
  return `${mm(Number(join.step.figures.p95Mm ?? 0))}, ${percent(Number(join.step.figures.overlap ?? 0), 0)}`
}

/** What the piece waits for, in a sentence and a button's words; the shelf and the card share it. */
export function nextMove(state: PieceState): { text: string; move: string; station: Station } {
  const takes = state.takes.filter((t) => t.shape)
  const running = state.jobs.find((j) => j.state === 'running' || j.state === 'queued')
  if (running) return { text: `${running.title}: ${Math.round(running.progress * 100)} %.`, move: 'Watch or cancel', station: stationOfTrack(running.track, running.request.kind === 'operation' ? running.request.operation : '') }
  if (state.mesh) {
    const last = [...state.mesh.chain].reverse().find((s) => s.findings.length > 0)
    const text = state.mesh.stale ? 'The takes or their join changed after this skin was made.' : last?.findings[0]?.text ?? 'The skin is made.'
    if (state.mesh.stale) return { text, move: 'Make the skin again', station: 'skin' }
    if (!state.mesh.chain.some((s) => s.figures.closed !== undefined && s.operation !== 'skin.make')) return { text, move: 'Check its health', station: 'mend' }
    if (!state.mesh.chain.some((s) => s.operation === 'size.scale')) return { text, move: 'Check its size', station: 'size' }
    return { text, move: 'Open the release', station: 'release' }
  }
  if (takes.length === 0 && !state.brief) return { text: 'Nothing is known of it yet: write the brief, or drop scan files.', move: 'Write the brief', station: 'brief' }
  if (takes.length === 0 && !state.plan) return { text: 'The brief is written; the session is not planned yet.', move: 'Plan the session', station: 'plan' }
  if (takes.length === 0 && state.plan?.outlook && state.plan.outlook.verdict !== 'sound') return { text: state.plan.outlook.text, move: 'Look at the plan', station: 'plan' }
  if (takes.length === 0) return { text: 'No takes yet: put the piece on the bench, or drop scan files.', move: 'Take it', station: 'take' }
  if (state.join && !state.join.stale) {
    const { findings } = state.join.step, verdict = worst(findings)
    const text = findings.find((f) => f.verdict === verdict)?.text ?? 'The takes are joined.'
    return verdict === 'unsound' && !state.join.accepted ? { text, move: 'Look at the join', station: 'join' } : { text, move: 'Make the skin', station: 'skin' }
  }
  const untidied = takes.filter((t) => t.shape!.kind === 'cloud' && !chainOf(state, `take:${t.id}`).some((s) => s.operation.startsWith('tidy.')))
  if (untidied.length > 0) return { text: `${untidied.length === takes.length ? 'The takes' : untidied.map((t) => `“${t.name}”`).join(', ')} still ${untidied.length === 1 && takes.length > 1 ? 'holds' : 'hold'} the table.`, move: 'Tidy the takes', station: 'tidy' }
  if (takes.length > 1) return { text: `${takes.length} tidy takes wait to be joined.`, move: 'Join the takes', station: 'join' }
  return { text: 'One take is here and tidy.', move: 'Make the skin', station: 'skin' }
}

function stationOfTrack(track: string, operation: string): Station {
  if (operation.startsWith('tidy.')) return 'tidy'
  if (track.startsWith('take:')) return 'take'
  if (track === 'join') return 'join'
  if (operation.startsWith('mend.')) return 'mend'
  return operation.startsWith('size.') ? 'size' : 'skin'
}

/** How a take was planned, as its first step tells; null for imported ones. */
export function plannedOf(state: PieceState, takeId: number): PlannedTake | null {
  const made = chainOf(state, `take:${takeId}`).findLast((s) => s.operation === 'take.simulate')
  const take = made?.params.take
  return typeof take === 'object' && take !== null ? (take as PlannedTake) : null
}

/** How many frames a take has, as its first step told; 0 when it does not know them. */
export function frameCount(state: PieceState, takeId: number): number {
  const chain = chainOf(state, `take:${takeId}`)
  const list = chain.findLast((s) => s.operation === 'take.simulate')?.figures.frameList
  return typeof list === 'string' ? (JSON.parse(list) as unknown[]).length : Number(chain[0]?.figures.frames ?? 0)
}

/** Whether a table turned the piece, or the device found its own place. */
export function framesPlaced(state: PieceState, takeId: number): 'table' | 'free' {
  const made = chainOf(state, `take:${takeId}`).findLast((s) => s.operation === 'take.simulate')
  return (made?.params.device as { hold?: string } | undefined)?.hold === 'hand' ? 'free' : 'table'
}

/** What the work so far amounts to, for the checks of the brief. */
export function factsOf(state: PieceState): Facts {
  const takes = state.takes.filter((t) => t.shape)
  const spacings = takes.flatMap((t) => {
    const v = chainOf(state, `take:${t.id}`).map((s) => Number(s.figures.spacingMm)).filter((x) => Number.isFinite(x) && x > 0)
    return v.length > 0 ? [v.at(-1)!] : []
  })
  const { join, mesh } = state
  const skin = mesh?.chain.find((s) => s.operation === 'skin.make')
  const health = mesh ? [...mesh.chain].reverse().find((s) => s.figures.closed !== undefined) : undefined
  const b = mesh?.shape.bounds
  return {
    ...(spacings.length > 0 && { takeSpacingMm: Math.max(...spacings) }),
    ...(join && !join.stale && { joinP95Mm: Number(join.step.figures.p95Mm), joinVerdict: verdictOf(join.step) }),
    ...(skin && { skinSpacingMm: Number(skin.figures.spacingMm), inventedShare: Number(skin.figures.invented) }),
    ...(health && { closed: health.figures.closed === true }),
    ...(b && { bounds: [b.max[0] - b.min[0], b.max[1] - b.min[1], b.max[2] - b.min[2]] as const }),
    ...(mesh && { scaled: mesh.chain.some((s) => s.operation === 'size.scale') }),
  }
}
