import type { Finding } from '@holosoma/core/findings'
import { healthStep } from '@/lib/chain'
import { sizeStep } from '../size/told'
import { looked, operationOf, speaks, type StationTold } from '../told'

export const releaseTold: StationTold = {
  own({ mesh }) {
    if (!mesh) return null
    const unchecked: Finding[] = []
    if (!healthStep(mesh.chain))
      unchecked.push({ id: 'release.health', verdict: 'doubtful', text: 'Its health has not been checked.' })
    if (!sizeStep(mesh.chain))
      unchecked.push({
        id: 'release.size',
        verdict: 'doubtful',
        text: 'Its size has not been checked against a reading.',
      })
    return looked(
      unchecked.length > 0
        ? unchecked
        : [{ id: 'release.checked', verdict: 'sound', text: 'Its health and its size have been checked.' }],
    )
  },
  figure: () => '',
  waitsFor: ({ mesh }, judged) => (mesh ? { text: speaks(judged('release'))!, move: 'Open the release' } : null),
  works: (job) => operationOf(job).startsWith('release.'),
}
