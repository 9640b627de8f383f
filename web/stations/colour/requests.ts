import type { Rules } from '@/requests/request'
import { knownPhotos } from './known-photos'

export const colourRules: Rules = {
  'colour.bake': {
    refuse: (state) => {
      if (!state.mesh) return 'There is no skin yet.'
      const { known, takes } = knownPhotos(state)
      if (known.length > 0) return null
      if (takes.length === 0) return 'There are no photos of the piece yet; take a turn of them at Take.'
      const { name, why } = takes[0]
      return `None of the photos can be laid on the skin: of those of “${name}”, ${why}.`
    },
    input: (source, state) =>
      source === 'photos' ? knownPhotos(state).known.map(({ photo }) => photo.sha256) : undefined,
    params: (state, _ground, asked) => ({
      ...asked.params,
      cameras: knownPhotos(state).known.map(({ camera }, i) => ({ ...camera, file: `${i + 1} ${camera.file}` })),
    }),
  },
}
