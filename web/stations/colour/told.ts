import type { Finding } from '@holosoma/core/findings'
import type { StepRecord } from '@holosoma/engine'
import { percent } from '@/lib/format'
import { looked, operationOf, type StationTold } from '../told'

/** The last act that gave the skin its colour. */
export const colourStep = (chain: readonly StepRecord[]): StepRecord | undefined =>
  chain.findLast((s) => s.operation === 'colour.bake')

/** What was done to the triangles since the skin was coloured: those that changed have no place in the picture. */
export const mendedSince = (chain: readonly StepRecord[]): readonly StepRecord[] =>
  chain
    .slice(chain.findLastIndex((s) => s.operation === 'colour.bake') + 1)
    .filter((s) => s.operation.startsWith('mend.') && s.operation !== 'mend.health')

const behind = (chain: readonly StepRecord[]): Finding[] => {
  const since = mendedSince(chain).length
  return since === 0
    ? []
    : [
        {
          id: 'colour.behind',
          verdict: 'doubtful',
          text:
            `The skin was changed ${since === 1 ? 'once' : `${since} times`} since it was coloured; ` +
            'triangles that are new have no place in the picture.',
          nextMove: 'Colour it from the same photos again',
        },
      ]
}

export const colourTold: StationTold = {
  own({ mesh }) {
    const step = mesh && colourStep(mesh.chain)
    return step ? looked([...step.findings, ...behind(mesh.chain)]) : null
  },
  figure({ mesh }) {
    const step = mesh && colourStep(mesh.chain)
    return step ? `${percent(Number(step.figures.seen))} seen` : ''
  },
  waitsFor: () => null,
  works: (job) => operationOf(job).startsWith('colour.'),
}
