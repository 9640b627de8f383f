import type { Motion } from '../linear/rigid'
import type { Shape } from '../shapes'

/** Motions are artefacts of their own and never baked into clouds; take → fixed take. */
export interface Motions {
  readonly kind: 'motions'
  readonly motions: Readonly<Record<string, Motion>>
}

/** A set of points or faces by bit, kept beside the shape it belongs to. */
export interface Selection {
  readonly kind: 'selection'
  readonly count: number
  readonly bits: Uint8Array
}

/** One number a point, beside the shape it belongs to. */
export interface Scalars {
  readonly kind: 'scalars'
  readonly values: Float32Array
}

export type Artefact = Shape | Motions | Selection | Scalars
export type ArtefactKind = Artefact['kind']
