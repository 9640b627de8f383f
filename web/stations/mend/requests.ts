import { choiceOf, requirementsOf } from '@holosoma/core/brief'
import { calledThen } from '@/requests/places'
import { madeOf } from '@/lib/made-of'
import type { Rules } from '@/requests/request'
import { missesBox } from './planes'

/** The tolerance of the brief is the cap of what mending may move. */
const CAPPED: Rules[string] = {
  params: ({ brief }, _ground, asked) => ({
    capMm: brief ? requirementsOf(brief.content).toleranceMm : null,
    ...asked.params,
  }),
}

/** How the takes lie under the skin. */
const UNDER_IT: Rules[string] = {
  takes: (state, ready) => (madeOf(state) ? ready.filter((t) => state.goesIn.includes(t.id)) : []),
  params: (state, { takes }, asked) => ({
    up: madeOf(state)?.up ?? null,
    scale: madeOf(state)?.scale ?? 1,
    ...asked.params,
    names: takes.map((t) => calledThen(state, t)),
  }),
}

/** The takes hold the surface where it is made of them; a mesh of others goes by itself. */
const HELD: Rules[string] = {
  ...UNDER_IT,
  params: (state, ground, asked) => ({
    toleranceMm: state.brief ? requirementsOf(state.brief.content).toleranceMm : null,
    ...UNDER_IT.params!(state, ground, asked),
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
  // Both sides are kept where there are two: a whole skin is no other side.
  'mend.cutPlane': {
    refuse: ({ mesh }, _ground, { params, beside }) =>
      beside && mesh?.shape.bounds && missesBox(mesh.shape.bounds, params)
        ? 'The plane lies beside the skin; there are no two sides to keep.'
        : null,
  },
  // Only a membrane asks the takes; whatever else closes a hole needs none of them read.
  'mend.closeHole': {
    ...UNDER_IT,
    takes: (state, ready, asked) => (asked.params?.kind === 'membrane' ? UNDER_IT.takes!(state, ready, asked) : []),
  },
  'mend.brush': HELD,
  'mend.workPart': HELD,
  'mend.splice': {
    input: (source, { results, mesh }, _ground, { params }) =>
      source === 'other'
        ? (results.find((r) => r.id === params.with && r.id !== mesh?.id)?.shape.hash ?? null)
        : undefined,
    params: ({ results }, _ground, { params }) => ({
      ...params,
      of: results.find((r) => r.id === params.with)?.name ?? '',
    }),
  },
  'mend.denoise': {
    params: ({ brief }, _ground, asked) => ({
      toleranceMm: brief ? requirementsOf(brief.content).toleranceMm : null,
      ...asked.params,
    }),
  },
}
