import type { ResultState } from '@holosoma/engine'
import { percent, short } from './format'

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
