import { createResult, isBusy, pieceState, resultTrack, submitJob } from '@holosoma/engine'
import { answer, database, existingPiece, Refusal } from '@/lib/server'
import { roadOf } from '@/requests/road'

/** The whole road by one press: tidied, joined, one skin, checked; it stops at the first finding that is not sound. */
export function POST(_request: Request, { params }: { params: Promise<{ id: string }> }): Promise<Response> {
  return answer(async () => {
    const db = database()
    const pieceId = await existingPiece((await params).id)
    const state = await pieceState(db, pieceId)
    if (!state) throw new Refusal(404, 'There is no such piece on the shelf.')
    const { job, tracks } = roadOf(state)
    if (await isBusy(db, pieceId, tracks))
      throw new Refusal(409, 'Something is at work on these takes just now; wait until it ends, or cancel it.')
    const result = resultTrack((await createResult(db, pieceId, 'skin')).id)
    const id = await submitJob(
      db,
      pieceId,
      result,
      'All the way by itself',
      { ...job, result },
      state.heads[result] ?? null,
    )
    return Response.json({ id }, { status: 202 })
  })
}
