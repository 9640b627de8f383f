import { requirementsOf } from '@holosoma/core/brief'
import type { Rules } from '@/requests/request'

export const mendRules: Rules = {
  // The tolerance of the brief is the cap of what mending may move.
  'mend.simplify': {
    params: ({ brief }, _ground, asked) => ({
      capMm: brief ? requirementsOf(brief.content).toleranceMm : null,
      ...asked.params,
    }),
  },
}
