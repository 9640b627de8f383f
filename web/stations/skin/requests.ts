import type { PieceState, TakeState } from '@holosoma/engine'
import { chainOf } from '@/lib/chain'
import { waitsToBeJoined } from '@/lib/joining'
import { madeUnsized } from '@/lib/made-of'
import { calledThen } from '@/requests/places'
import type { Rules } from '@/requests/request'

export const skinRules: Rules = {
  'skin.make': {
    takes: (state, ready) => ready.filter((t) => state.goesIn.includes(t.id)),
    refuse: (state, { ready, takes }) =>
      ready.length === 0
        ? 'There is no take yet to make a skin from.'
        : (waitsToBeJoined(state) ??
          (takes.length > 0
            ? null
            : state.join || ready.every((t) => !t.inSkin)
              ? 'Every take that has a place is left out of the skin; take one in.'
              : 'Join the takes before making the skin.')),
    params: (state, { takes }, asked) => ({
      up: upOf(state, takes),
      ...asked.params,
      names: takes.map((t) => calledThen(state, t)),
    }),
  },
  'skin.edges': {
    takes: (state, ready) => ready.filter((t) => state.goesIn.includes(t.id)),
    refuse: (state) =>
      state.mesh && !madeUnsized(state)
        ? 'Edges are put into a skin that was made from these takes and was not sized yet; make the skin again with its edges.'
        : null,
    params: (state, { takes }, asked) => ({
      up: madeUnsized(state)?.up ?? null,
      ...asked.params,
      names: takes.map((t) => calledThen(state, t)),
    }),
  },
}

/** Which way is up for the fixed take: away from the table that was found under it. Null where none was. */
function upOf(state: PieceState, takes: readonly TakeState[]): number[] | null {
  const fixed = takes.find((t) => t.fixed) ?? takes[0]
  const table = chainOf(state, `take:${fixed.id}`).findLast(
    (s) => s.operation === 'tidy.trimTable' && s.figures.table === true,
  )
  return table ? [Number(table.figures.planeX), Number(table.figures.planeY), Number(table.figures.planeZ)] : null
}
