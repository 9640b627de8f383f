import { choiceOf } from '@holosoma/core/brief'
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
  waitsFor(state, judged) {
    const { mesh, brief } = state
    if (!mesh) return null
    if (!healthStep(mesh.chain)) return { text: speaks(judged('release'))!, move: 'Check its health' }
    // A skin that is to keep its holes waits for nothing here.
    const keepsHoles = brief !== null && choiceOf(brief.content, 'holes') !== 'close'
    const text = keepsHoles ? undefined : mendTold.own(state)?.findings.find((f) => f.verdict === 'unsound')?.text
    return text === undefined ? null : { text, move: 'Mend it' }
  },
  works: (job) => operationOf(job).startsWith('mend.'),
}
