import type { PieceState } from '@holosoma/engine'
import { namesFrom } from '@/requests/places'
import type { Asked, Ground, Rules } from '@/requests/request'

const withNames = (state: PieceState, { takes }: Ground, params: Asked['params']): Record<string, unknown> => ({
  ...params,
  names: namesFrom(state, takes[0]),
})

export const tidyRules: Rules = {
  'tidy.trimPlane': { params: (state, ground, asked) => withNames(state, ground, asked.params) },
  'tidy.cut': {
    input: (source, _state, _ground, asked) =>
      source === 'selection' && typeof asked.params.selection === 'string' ? asked.params.selection : undefined,
    params: (state, ground, { params: { selection: _chosen, ...given } }) => withNames(state, ground, given),
  },
}
