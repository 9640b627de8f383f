import type { Finding } from '@holosoma/core/findings'
import { short } from '@/lib/format'
import { looked, speaks, takesOf, type StationTold } from '../told'

export const skinTold: StationTold = {
  foundation: 'The skin it rests on',
  own({ mesh }) {
    if (!mesh) return null
    const first = mesh.chain[0]
    const stale: Finding[] = mesh.stale
      ? [{ id: 'skin.stale', verdict: 'doubtful', text: 'The takes or their join changed after this skin was made.' }]
      : []
    return looked([...stale, ...(first?.findings.filter((f) => f.id !== 'mend.health') ?? [])])
  },
  figure({ mesh }) {
    if (!mesh) return ''
    if (mesh.stale) return 'join changed'
    const first = mesh.chain[0]
    const faces = short(Number(first?.figures.faces ?? 0))
    return first?.operation === 'skin.adopt' ? `imported, ${faces}` : `${first?.figures.spacingMm} mm, ${faces}`
  },
  waitsFor(state, judged) {
    if (state.mesh)
      return state.mesh.stale
        ? { text: 'The takes or their join changed after this skin was made.', move: 'Make the skin again' }
        : null
    if (takesOf(state).length === 0) return null
    const joined = state.join && !state.join.stale
    return {
      text: joined ? (speaks(judged('join')) ?? 'The takes are joined.') : 'One take is here and tidy.',
      move: 'Make the skin',
    }
  },
  works: (job) => job.track.startsWith('result:'),
}
