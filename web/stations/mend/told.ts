import { healthOf } from '@holosoma/core/operations'
import { againOf, healthStep } from '@/lib/chain'
import { looked, operationOf, speaks, type StationTold } from '../told'

export const mendTold: StationTold = {
  foundation: 'The health of the mesh',
  own({ mesh }) {
    const step = mesh && healthStep(mesh.chain)
    if (!step) return null
    return looked([
      healthOf(step.figures),
      ...step.findings.filter((f) => f.id !== 'mend.health'),
      ...againOf(mesh.chain, 'piece'),
    ])
  },
  figure({ mesh }) {
    const figures = mesh && healthStep(mesh.chain)?.figures
    if (!figures) return ''
    if (figures.closed) return 'closed'
    const holes = Number(figures.holes)
    return holes > 0 ? `${holes} ${holes === 1 ? 'hole' : 'holes'}` : 'not closed'
  },
  waitsFor: ({ mesh }, judged) =>
    mesh && !healthStep(mesh.chain) ? { text: speaks(judged('release'))!, move: 'Check its health' } : null,
  works: (job) => operationOf(job).startsWith('mend.'),
}
