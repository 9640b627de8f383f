import type { TakeState } from '@holosoma/engine'
import { useDesk } from './store'

/** The take on the desk's front: the chosen one, or the first. */
export function takeInHand(): TakeState | undefined {
  const { state, selectedTake } = useDesk.getState()
  return state.takes.find((t) => t.id === selectedTake && t.shape) ?? state.takes.find((t) => t.shape)
}

/** The takes that show: none that is hidden, only the one that is alone when one is. */
export function shownTakes(): TakeState[] {
  const { state, solo } = useDesk.getState()
  return state.takes.filter((t) => t.shape && (solo === null ? !t.hidden : t.id === solo))
}

/** How a take lies on the stage of Tidy: joined where it is joined and several show, else as it was taken. */
export function rowsOf(take: TakeState): number[][] | null {
  const { state, choosing } = useDesk.getState()
  return choosing.across && state.join && !state.join.stale ? (state.join.motions[take.name] ?? null) : null
}
