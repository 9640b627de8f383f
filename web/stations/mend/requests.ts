import { choiceOf, requirementsOf } from '@holosoma/core/brief'
import type { Rules } from '@/requests/request'

/** The tolerance of the brief is the cap of what mending may move. */
const CAPPED: Rules[string] = {
  params: ({ brief }, _ground, asked) => ({
    capMm: brief ? requirementsOf(brief.content).toleranceMm : null,
    ...asked.params,
  }),
}

export const mendRules: Rules = {
  // Where the brief leaves holes, or closes them by hand, curing the rest does not close them by the way.
  'mend.heal': {
    params: ({ brief }, _ground, asked) => ({
      keepsHoles: !!brief && choiceOf(brief.content, 'holes') !== 'close',
      ...asked.params,
    }),
  },
  'mend.simplify': CAPPED,
  'mend.remesh': CAPPED,
  'mend.denoise': {
    params: ({ brief }, _ground, asked) => ({
      toleranceMm: brief ? requirementsOf(brief.content).toleranceMm : null,
      ...asked.params,
    }),
  },
}
