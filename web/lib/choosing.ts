import type { TakeState } from '@holosoma/engine'
import type { Choice } from '@/workers/selecting'
import { api } from './api'
import { geometry } from './geometry'
import { submit, useDesk, type PreviewCut } from './store'

/** Name under which points chosen by hand stand among the previews. */
export const BY_HAND = 'tidy.cut'

/** What has been chosen by hand on a take, if anything has. */
export function chosenOn(take: TakeState | undefined, previews: readonly PreviewCut[]): PreviewCut | undefined {
  return previews.find((p) => p.takeId === take?.id && p.shapeHash === take?.shape?.hash && p.operation === BY_HAND)
}

/**
 * Chooses more, or less, on a take; what is chosen is painted.
 * @param quiet a stroke goes on: nothing under the pointer is no mistake
 */
export async function chooseOn(take: TakeState, choice: Choice, quiet = false): Promise<void> {
  const { previews, choosing, set } = useDesk.getState()
  const before = chosenOn(take, previews)
  const answer = await geometry().choose(take.shape!.hash, choice, before?.bits ?? null, choosing.how)
  if ('error' in answer) {
    if (quiet) return
    throw new Error(answer.error)
  }
  if (useDesk.getState().state.takes.find((t) => t.id === take.id)?.shape?.hash !== take.shape!.hash) return
  set({ previews: [{ takeId: take.id, shapeHash: take.shape!.hash, operation: BY_HAND, params: {}, bits: answer.bits, count: answer.count, text: 'Chosen by hand.' }] })
}

/** Cuts what is chosen. */
export async function cutChosen(chosen: PreviewCut): Promise<void> {
  const { state, set } = useDesk.getState()
  const { selection } = await api.keepSelection(state.piece.id, chosen.shapeHash, chosen.bits)
  await submit({ operation: BY_HAND, params: { selection }, takeId: chosen.takeId })
  set({ previews: [], tool: null })
}
