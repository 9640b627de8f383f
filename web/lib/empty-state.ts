import type { PieceState } from '@holosoma/engine'
import { NEW_SESSION } from '@holosoma/core/bench/session'

/** A piece of which nothing is known yet, for tests of what the page makes of a piece. */
export const emptyState = (name: string, over: Partial<PieceState> = {}): PieceState => ({
  piece: { id: 1, name, number: '', sample: false, benchPiece: null },
  takes: [],
  bench: null,
  selections: [],
  join: null,
  mesh: null,
  brief: null,
  plan: null,
  check: null,
  session: NEW_SESSION,
  photos: [],
  steps: [],
  activeSteps: [],
  jobs: [],
  canUndo: false,
  canRedo: false,
  ...over,
})
