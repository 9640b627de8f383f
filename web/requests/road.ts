import { operationNamed } from '@holosoma/core'
import { choiceOf, coloursCount, wantedSkinSpacing } from '@holosoma/core/brief'
import type { JobRequest, PieceState, Track } from '@holosoma/engine'
import { Refusal } from '@/lib/server'
import { openProposals } from '@/lib/tidying'
import { jobByDeclaration } from './by-declaration'
import { RULES } from './rules'

type Road = Extract<JobRequest, { kind: 'road' }>

/**
 * What one press asks for, on the piece as it stands: for each take the acts it still needs, the match as Join would
 * ask for it, the skin as the brief has it. @throws Refusal
 */
export function roadOf(state: PieceState): { readonly job: Omit<Road, 'result'>; readonly tracks: Track[] } {
  const takes = state.takes.filter((t) => t.shape && t.inJoin && t.inSkin)
  if (takes.length === 0) throw new Refusal(409, 'There is no take yet to go the road with.')
  const mesh = takes.find((t) => t.shape!.kind === 'mesh')
  if (mesh && takes.length === 1)
    throw new Refusal(409, `“${mesh.name}” is a mesh already; use it as the skin, and go on to Mend.`)
  const join =
    takes.length > 1
      ? jobByDeclaration(
          operationNamed('join.match'),
          RULES['join.match'],
          { ...state, takes },
          {
            operation: 'join.match',
            params: { byShape: true, ...(state.brief && coloursCount(state.brief.content) && { colours: true }) },
          },
        ).request
      : null
  const brief = state.brief?.content
  return {
    job: {
      kind: 'road',
      takes: takes.map((t) => ({
        id: t.id,
        name: t.name,
        hash: t.shape!.hash,
        tidy:
          t.locked || t.shape!.kind === 'mesh'
            ? []
            : openProposals(state, t).map((s) => ({ operation: s.operation, params: { ...s.params } })),
      })),
      ...(state.bench?.shape && { bench: state.bench.shape.hash }),
      join: join && 'params' in join ? join.params : null,
      // What is up, and how fine the points are, is found on the way.
      skin: {
        closed: !brief || choiceOf(brief, 'holes') === 'close',
        ...(brief && { spacingMm: wantedSkinSpacing(brief, state.plan?.content.device.spacingMm ?? null) }),
      },
    },
    tracks: ['join', ...takes.map((t): Track => `take:${t.id}`)],
  }
}
