import type { PieceState, TakeState } from '@holosoma/engine'
import { Refusal } from '@/lib/server'

/* Where things stand in a piece, as requests ask for them. */

export const readyTakes = (state: PieceState): readonly TakeState[] => state.takes.filter((t) => t.shape)

/** @throws Refusal when it is not here */
export function takeHere(ready: readonly TakeState[], takeId: number | undefined): TakeState {
  const take = ready.find((t) => t.id === takeId)
  if (!take) throw new Refusal(404, 'That take is not here.')
  return take
}

/** A take that may be changed. @throws Refusal when it is not here, or locked */
export function unlocked(ready: readonly TakeState[], takeId: number | undefined): TakeState {
  const take = takeHere(ready, takeId)
  if (take.locked) throw new Refusal(409, `“${take.name}” is locked; unlock it on the contact sheet first.`)
  return take
}

/** What the last match called a take: so its stored motions name it, whatever it is called now. */
export const calledThen = (state: PieceState, take: TakeState): string => state.join?.calledThen[take.id] ?? take.name

/** This take, then the others, as the last match called them. */
export const namesFrom = (state: PieceState, ready: readonly TakeState[], take: TakeState): string[] =>
  [take, ...ready.filter((t) => t !== take && t.shape!.kind === 'cloud')].map((t) => calledThen(state, t))

/**
 * The other takes with their motions, where all are joined: what tells whether a cut takes surface that no other has.
 * Null where they are not.
 */
export function joinedOthers(
  state: PieceState,
  take: TakeState,
): { readonly others: string[]; readonly motions: string } | null {
  const others = state.takes.filter((t) => t.shape?.kind === 'cloud' && t !== take)
  if (
    !state.join ||
    state.join.stale ||
    others.length === 0 ||
    [take, ...others].some((t) => !Object.hasOwn(state.join!.motions, t.name))
  )
    return null
  return { others: others.map((t) => t.shape!.hash), motions: state.join.step.outputs.motions }
}
