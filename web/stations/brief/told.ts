import { trapsOf } from '@holosoma/core/brief'
import type { Finding } from '@holosoma/core/findings'
import { looked, takesOf, type StationTold } from '../told'

export const briefTold: StationTold = {
  own({ brief }) {
    if (!brief) return null
    return looked(
      trapsOf(brief.content)
        .filter((t) => t.blocking)
        .map((t): Finding => ({ id: `brief.${t.id}`, verdict: 'doubtful', text: `${t.name}: ${t.why}` })),
    )
  },
  figure: ({ brief }) => (brief ? `${brief.content.detailMm} mm` : ''),
  waitsFor: (state) =>
    state.mesh || takesOf(state).length > 0 || state.brief
      ? null
      : {
          text: 'Nothing is known of it yet: write the brief, or drop scan files.',
          move: 'Write the brief',
        },
  works: (job) => job.track === 'brief',
}
