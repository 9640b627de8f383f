import type { PieceState } from '@holosoma/engine'
import type { LaidTake } from '@/workers/laid-takes'

/** The takes a skin is made of, as they still are, and how it lies to them. */
export interface MadeOf {
  readonly names: readonly string[]
  /** Which way was up. */
  readonly up: number[] | null
  /** By how much it was made larger since. */
  readonly scale: number
}

/** Of the skin that stands; null where it is made of no takes, or of takes that have changed since. */
export function madeOf(state: PieceState): MadeOf | null {
  const { mesh } = state
  const first = mesh?.chain[0]
  if (!mesh || mesh.stale || first?.operation !== 'skin.make') return null
  const scale = mesh.chain.reduce((f, s) => (s.operation === 'size.scale' ? f * Number(s.figures.factor ?? NaN) : f), 1)
  const { names, up } = first.params as { names?: unknown; up?: unknown }
  return Array.isArray(names) && scale > 0
    ? { names: names as string[], up: Array.isArray(up) ? (up as number[]) : null, scale }
    : null
}

/** The same for what works on a skin only as it was made: null for one that was sized since. */
export const madeUnsized = (state: PieceState): MadeOf | null => {
  const made = madeOf(state)
  return made?.scale === 1 ? made : null
}

/** The takes that go into the skin, as the page's own computing is handed them. */
export const laidTakes = (state: PieceState): LaidTake[] =>
  state.takes
    .filter((t) => t.shape && state.goesIn.includes(t.id))
    .map((t) => ({ hash: t.shape!.hash, rows: state.join?.motions[t.name] ?? null }))
