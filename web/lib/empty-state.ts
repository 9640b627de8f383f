import type { PieceState, ResultState, StepRecord } from '@holosoma/engine'
import { NEW_SESSION } from '@holosoma/core/bench'

/** A piece of which nothing is known yet, for tests of what the page makes of a piece. */
export const emptyState = (name: string, over: Partial<PieceState> = {}): PieceState => ({
  piece: { id: 1, name, number: '', sample: false, benchPiece: null, binned: false },
  takes: [],
  bench: null,
  selections: [],
  join: null,
  results: [],
  bin: { takes: [], results: [] },
  goesIn: [],
  mesh: null,
  brief: null,
  plan: null,
  areas: null,
  parts: null,
  check: null,
  session: NEW_SESSION,
  photos: [],
  steps: [],
  activeSteps: [],
  heads: {},
  jobs: [],
  canUndo: false,
  canRedo: false,
  ...over,
})

/** A step that says nothing but what it is given, for the same tests. */
export const emptyStep = (operation: string, over: Partial<StepRecord> = {}): StepRecord => ({
  id: 1,
  track: 'result:1',
  parentId: null,
  operation,
  version: 1,
  params: {},
  inputs: {},
  outputs: {},
  figures: {},
  findings: [],
  details: null,
  description: '',
  who: '',
  durationMs: 1,
  work: 1,
  createdAt: '',
  ...over,
})

/** A result that has come the way of these steps, for the same tests. */
export const emptyResult = (chain: readonly StepRecord[], over: Partial<ResultState> = {}): ResultState => ({
  id: 1,
  name: 'skin',
  purpose: '',
  note: '',
  ordinal: 1,
  step: chain.at(-1)!,
  shape: { hash: 'skin', kind: 'mesh', points: 10, faces: 20, bounds: null, previewHash: null, thumbHash: null },
  chain,
  later: null,
  stale: false,
  hidden: false,
  ...over,
})
