import type { Finding } from '@holosoma/core/findings'
import { againOf } from '@/lib/chain'
import { short } from '@/lib/format'
import { looked, speaks, takesOf, type StationTold } from '../told'

export const skinTold: StationTold = {
  foundation: 'The skin it rests on',
  own(state) {
    const { mesh } = state
    if (!mesh) return null
    const first = mesh.chain[0]
    const waiting: Finding[] = mesh.later
      ? [
          {
            id: 'skin.later',
            verdict: 'doubtful',
            text:
              `${mesh.later.acts.length} later ${mesh.later.acts.length === 1 ? 'act was' : 'acts were'} done on the skin ` +
              'before this one, and not on this.',
            nextMove: 'Do them again',
          },
        ]
      : []
    const meshes = state.takes.filter((t) => state.goesIn.includes(t.id) && t.shape?.kind === 'mesh')
    const fromMeshes: Finding[] =
      first?.operation === 'skin.make' && meshes.length > 0
        ? [
            {
              id: 'skin.ofMeshes',
              verdict: 'doubtful',
              text:
                `${meshes.map((t) => `“${t.name}”`).join(', ')} came as a mesh: between its corners nothing was measured, ` +
                'though the share called measured counts it.',
            },
          ]
        : []
    const edged = mesh.chain.findLast((s) => s.operation === 'skin.edges')
    const stale: Finding[] = mesh.stale
      ? [{ id: 'skin.stale', verdict: 'doubtful', text: 'The takes or their join changed after this skin was made.' }]
      : []
    return looked([
      ...stale,
      ...fromMeshes,
      ...waiting,
      ...againOf(mesh.chain, 'skin'),
      ...(first?.findings.filter((f) => f.id !== 'mend.health' && (!edged || f.id !== 'skin.edges')) ?? []),
      ...(edged?.findings.filter((f) => f.id === 'skin.edges') ?? []),
    ])
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
