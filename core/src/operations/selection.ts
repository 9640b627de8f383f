import { bitsOf } from '../select/bits'
import { indicesWhere, pickPoints, type PointCloud } from '../shapes'
import type { Artefact, Selection } from './artefacts'

/** A selection of the items whose mask has `value`. */
export function selectionOf(mask: Uint8Array, value: number): Selection {
  return { kind: 'selection', count: mask.length, bits: bitsOf(mask.map((m) => (m === value ? 1 : 0))) }
}

/** What a tidy operation gives out: the take without the points whose mask is 0, or only the selection of them. */
export function cutOrSelect(cloud: PointCloud, mask: Uint8Array, apply: boolean): Record<string, Artefact> {
  return apply ? { take: pickPoints(cloud, indicesWhere(mask, 1)) } : { selection: selectionOf(mask, 0) }
}
