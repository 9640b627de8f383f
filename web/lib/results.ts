import type { Verdict } from '@holosoma/core/findings'
import { healthOf } from '@holosoma/core/operations'
import type { ResultState } from '@holosoma/engine'
import { healthStep } from './chain'
import { percent, short } from './format'

/** What a result is, in the few words of its cell. */
export function resultTold({ shape, chain }: ResultState): {
  readonly triangles: string
  /** How fine it is and how much of it was measured, or where it came from. */
  readonly made: string
  /** Of its health; null: nobody has looked. */
  readonly verdict: Verdict | null
} {
  const first = chain[0]
  const { spacingMm, measured } = first?.figures ?? {}
  const health = healthStep(chain)
  return {
    triangles: `${short(shape.faces)} triangles`,
    made:
      first?.operation === 'skin.make'
        ? `${Number(spacingMm)} mm, ${percent(Number(measured), 0)} measured`
        : 'came as a mesh',
    verdict: health ? healthOf(health.figures).verdict : null,
  }
}
