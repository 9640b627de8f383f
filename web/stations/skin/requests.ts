import type { PieceState, TakeState } from '@holosoma/engine'
import { chainOf } from '@/lib/chain'
import { withoutPlace } from '@/lib/joining'
import { calledThen } from '@/requests/places'
import type { Rules } from '@/requests/request'

export const skinRules: Rules = {
  'skin.make': {
    refuse: (state, { takes }) =>
      takes.length === 0
        ? 'There is no take yet to make a skin from.'
        : takes.length > 1 && !state.join
          ? 'Join the takes before making the skin.'
          : takes.length > 1
            ? withoutPlace(state, takes)
            : null,
    params: (state, { takes }, asked) => ({
      up: upOf(state, takes),
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
