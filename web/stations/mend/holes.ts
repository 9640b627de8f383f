import { detailsOf, type HoleTold } from '@holosoma/core/operations'
import type { StepRecord } from '@holosoma/engine'
import { healthStep } from '@/lib/chain'

export interface Hole extends HoleTold {
  readonly middle: readonly [number, number, number]
}

/** Acts that tell of the holes they leave. */
const TELLING = [
  'mend.health',
  'mend.closeHoles',
  'mend.closeHole',
  'mend.cutAway',
  'mend.cutPlane',
  'mend.simplify',
  'skin.adopt',
] as const

/** The holes of the skin as it stands, the largest first, as the last act that looked told of them. */
export function holesOf(chain: readonly StepRecord[]): Hole[] {
  const step = healthStep(chain)
  if (!step) return []
  const told = TELLING.flatMap((name) => detailsOf(step, name)?.holes ?? [])
  // What was scaled since lies elsewhere by as much.
  const factor = chain
    .slice(chain.indexOf(step) + 1)
    .reduce((f, s) => (s.operation === 'size.scale' ? f * Number(s.figures.factor ?? 1) : f), 1)
  return told.map(({ perimeterMm, rim }) => {
    const n = rim.length / 3
    const at = [0, 1, 2].map((c) => rim.reduce((sum, v, i) => (i % 3 === c ? sum + (factor * v) / n : sum), 0))
    return {
      perimeterMm: perimeterMm * factor,
      rim: rim.map((v) => v * factor),
      middle: at as [number, number, number],
    }
  })
}
