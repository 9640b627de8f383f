import type { ResultState } from '@holosoma/engine'
import { percent, short } from './format'

/** How much larger a skin was made since it was joined. */
export const grownOf = ({ chain }: Pick<ResultState, 'chain'>): number =>
  chain.reduce((f, s) => (s.operation === 'size.scale' ? f * Number(s.figures.factor ?? 1) : f), 1)

/** What a result is, in the few words of its cell. */
export function resultTold({ shape, chain }: ResultState): {
  readonly triangles: string
  /** How fine it is and how much of it was measured, or where it came from. */
  readonly made: string
} {
  const first = chain[0]
  const measured = Number(first?.figures.measured)
  return {
    triangles: `${short(shape.faces)} triangles`,
    made:
      first?.operation === 'skin.make'
        ? `${Number(first.figures.spacingMm)} ` +
          `mm${Number.isFinite(measured) ? `, ${percent(measured, 0)} measured` : ''}`
        : 'came as a mesh',
  }
}
