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

/** This take, then the others it is joined with, as the last match called them. */
export const namesFrom = (state: PieceState, take: TakeState): string[] =>
  [take, ...(joinedOthers(state, take)?.takes ?? [])].map((t) => calledThen(state, t))

/**
 * The other takes that have a place, with the motions, where this one has: what tells whether a cut takes surface that
 * no other has. Null where this one has none. One that found no place, or was left out, counts for nothing.
 */
export function joinedOthers(
  state: PieceState,
  take: TakeState,
): { readonly takes: readonly TakeState[]; readonly others: string[]; readonly motions: string } | null {
  const join = state.join
  if (!join || join.stale || !Object.hasOwn(join.motions, take.name)) return null
  const takes = state.takes.filter(
    (t) => t.shape?.kind === 'cloud' && t !== take && t.inJoin && Object.hasOwn(join.motions, t.name),
  )
  if (takes.length === 0) return null
  return { takes, others: takes.map((t) => t.shape!.hash), motions: join.step.outputs.motions }
}
