import type { StepRecord } from '@holosoma/engine'
import { looked, operationOf, speaks, type StationTold } from '../told'

/** The last act that told how large the piece is. */
export const sizeStep = (chain: readonly StepRecord[]): StepRecord | undefined =>
  chain.findLast((s) => s.operation === 'size.scale')

export const sizeTold: StationTold = {
  foundation: 'The size',
  own({ mesh }) {
    const step = mesh && sizeStep(mesh.chain)
    return step ? looked(step.findings) : null
  },
  figure({ mesh }) {
    const step = mesh && sizeStep(mesh.chain)
    return step ? `× ${Number(Number(step.figures.factor ?? 1).toPrecision(5))}` : ''
  },
  waitsFor: ({ mesh }, judged) =>
    mesh && !sizeStep(mesh.chain) ? { text: speaks(judged('release'))!, move: 'Check its size' } : null,
  works: (job) => operationOf(job).startsWith('size.'),
}
