import { GeometryError } from '../errors'
import type { Motion } from '../linear/rigid'
import type { Picture, Shape } from '../shapes'

/** Motions are artefacts of their own and never baked into clouds; take → fixed take. */
export interface Motions {
  readonly kind: 'motions'
  readonly motions: Readonly<Record<string, Motion>>
}

/** A set of points or faces by bit, kept beside the shape it belongs to. */
export interface Selection {
  readonly kind: 'selection'
  /** What is chosen. @defaultValue points */
  readonly of?: 'points' | 'faces'
  /** Of all there are, chosen or not. */
  readonly count: number
  readonly bits: Uint8Array
}

/** One number a point, beside the shape it belongs to. */
export interface Scalars {
  readonly kind: 'scalars'
  readonly values: Float32Array
}

/** Photos in an order, each read when it is wanted: together they are larger than memory. */
export interface Photos {
  readonly kind: 'photos'
  readonly photos: readonly { read(): Promise<Picture> }[]
}

export type Artefact = Shape | Motions | Selection | Scalars
export type ArtefactKind = Artefact['kind']

/** How the bytes of a selection begin: what it is, of what, how many there are; the bits alone would be ambiguous. */
const SELECTION_HEAD = 12
const MAGIC = 0x6c657348
const OF = ['points', 'faces'] as const

/** @returns bytes that are the same for the same selection only: bits, number and kind */
export function packSelection({ of = 'points', count, bits }: Omit<Selection, 'kind'>): Uint8Array {
  const out = new Uint8Array(SELECTION_HEAD + bits.length)
  const view = new DataView(out.buffer)
  view.setUint32(0, MAGIC, true)
  view.setUint32(4, OF.indexOf(of), true)
  view.setUint32(8, count, true)
  out.set(bits, SELECTION_HEAD)
  return out
}

/**
 * @param points how many the bits are of, for selections that were kept without saying it: bare bits of points
 * @throws FORMAT for bytes that are no selection
 */
export function unpackSelection(bytes: Uint8Array, points: number): Selection {
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength)
  if (bytes.length === (points + 7) >> 3) return { kind: 'selection', of: 'points', count: points, bits: bytes }
  const of =
    bytes.length >= SELECTION_HEAD && view.getUint32(0, true) === MAGIC ? OF[view.getUint32(4, true)] : undefined
  const count = of && view.getUint32(8, true)
  if (!of || bytes.length !== SELECTION_HEAD + ((count! + 7) >> 3))
    throw new GeometryError('FORMAT', 'This is no selection.')
  return { kind: 'selection', of, count: count!, bits: bytes.subarray(SELECTION_HEAD) }
}
