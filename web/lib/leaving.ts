import type { PieceState } from '@holosoma/engine'
import { api } from './api'
import { unplacedTakes } from './joining'

/** Takes that found no place are left out of join and skin, until they are taken in again on the contact sheet. */
export const leaveOutUnplaced = (state: PieceState): Promise<unknown> =>
  api.updateTakes(
    state.piece.id,
    unplacedTakes(state).map((t) => t.id),
    { inJoin: false },
  )
