import type { PieceState } from '@holosoma/engine'
import type { LaidTake } from '@/workers/laid-takes'

/** Of the skin that stands: the takes it is made of, as they still are, and which way was up. */
export function madeOf(state: PieceState): { readonly names: readonly string[]; readonly up: number[] | null } | null {
  const { mesh } = state
  const first = mesh?.chain[0]
  if (!mesh || mesh.stale || first?.operation !== 'skin.make') return null
  // What was sized lies otherwise than its takes do.
  if (mesh.chain.some((s) => s.operation === 'size.scale')) return null
  const { names, up } = first.params as { names?: unknown; up?: unknown }
  return Array.isArray(names) ? { names: names as string[], up: Array.isArray(up) ? (up as number[]) : null } : null
}

/** The takes that go into the skin, as the page's own computing is handed them. */
export const laidTakes = (state: PieceState): LaidTake[] =>
  state.takes
    .filter((t) => t.shape && state.goesIn.includes(t.id))
    .map((t) => ({ hash: t.shape!.hash, rows: state.join?.motions[t.name] ?? null }))
