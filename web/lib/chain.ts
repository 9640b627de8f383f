import type { Finding } from '@holosoma/core/findings'
import type { PieceState, StepRecord } from '@holosoma/engine'
import type { PlannedTake } from '@holosoma/core/plan'
import { perState } from './per-state'

/* What the ledger tells of a take. */

const activeByTrack = perState<null, Map<string, StepRecord[]>>((state) => {
  const active = new Set(state.activeSteps)
  const tracks = new Map<string, StepRecord[]>()
  for (const step of state.steps) {
    if (!active.has(step.id)) continue
    const chain = tracks.get(step.track)
    if (chain) chain.push(step)
    else tracks.set(step.track, [step])
  }
  return tracks
})

const NO_STEPS: readonly StepRecord[] = []

/** The way of a take from its first step to where its head stands. */
export const chainOf = (state: PieceState, track: string): readonly StepRecord[] =>
  activeByTrack(state, null).get(track) ?? NO_STEPS

/** How a take was planned, as its first step tells; null for imported ones. */
export function plannedOf(state: PieceState, takeId: number): PlannedTake | null {
  const made = chainOf(state, `take:${takeId}`).findLast((s) => s.operation === 'take.simulate')
  const take = made?.params.take
  return typeof take === 'object' && take !== null ? (take as PlannedTake) : null
}

/** How many frames a take has, as its first step told; 0 when it does not know them. */
export function frameCount(state: PieceState, takeId: number): number {
  const chain = chainOf(state, `take:${takeId}`)
  const made = chain.findLast((s) => s.operation === 'take.simulate')
  return Number((made ?? chain[0])?.figures.frames ?? 0)
}

/** Whether a table turned the piece, or the device found its own place. */
export function framesPlaced(state: PieceState, takeId: number): 'table' | 'free' {
  const made = chainOf(state, `take:${takeId}`).findLast((s) => s.operation === 'take.simulate')
  return (made?.params.device as { hold?: string } | undefined)?.hold === 'hand' ? 'free' : 'table'
}

/** The one take there is, where it came as a mesh: it can be the skin as it is. */
export function onlyMeshOf(state: PieceState): PieceState['takes'][number] | null {
  const done = state.takes.filter((t) => t.shape)
  return done.length === 1 && done[0].shape!.kind === 'mesh' ? done[0] : null
}

/** The last act that told how the mesh is. */
export const healthStep = (chain: readonly StepRecord[]): StepRecord | undefined =>
  chain.findLast((s) => s.figures.closed !== undefined && s.operation !== 'skin.make')

/**
 * What was told when acts were done again: those of the skin before, or those of another piece. A scale that was taken
 * by hand since is no longer lost.
 */
export function againOf(chain: readonly StepRecord[], from: 'skin' | 'piece'): readonly Finding[] {
  const ofPiece = (s: StepRecord): boolean => s.findings.some((f) => f.id === 'again.like')
  const at = chain.findLastIndex((s) => s.operation === 'result.again' && ofPiece(s) === (from === 'piece'))
  if (at < 0) return []
  const sized = chain.slice(at + 1).some((s) => s.operation === 'size.scale')
  return chain[at].findings.filter((f) => !(sized && f.id === 'again.scale'))
}
