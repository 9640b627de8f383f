import type { TidyStep } from '@holosoma/core/plan'
import { takesUnderHand } from './choosing'
import { geometry } from './geometry'
import type { PreviewCut } from '@/stations/tidy/desk'
import { useDesk } from './store'
import { stepFor } from './tidying'

/** Paints what an act would take, on the takes under the hand. @throws what it says where it fits none of them */
export async function previewAct(step: TidyStep): Promise<void> {
  const { operation } = step
  const { state, set } = useDesk.getState()
  const bench = operation === 'tidy.subtractBench' ? state.bench?.shape?.hash : null
  if (operation === 'tidy.subtractBench' && !bench)
    throw new Error('The empty bench is not known; say which take shows it, under “This take”.')
  const found = await Promise.all(
    takesUnderHand().map(async (t) => {
      const { params } = stepFor(state, t, step)
      return {
        t,
        params,
        answer: await geometry(t.shape!.hash).previewCut(t.shape!.hash, operation, params, bench ?? null),
      }
    }),
  )
  const refused = found.flatMap(({ answer }) => ('error' in answer ? [answer.error] : []))
  if (refused.length === found.length) throw new Error(refused[0])
  set({
    plane: null,
    previews: found.flatMap(({ t, params, answer }): PreviewCut[] =>
      'error' in answer ? [] : [{ takeId: t.id, shapeHash: t.shape!.hash, operation, params, ...answer }],
    ),
  })
}
