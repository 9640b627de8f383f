import Joi from 'joi'
import { isBusy, pieceOfResult, pieceState, resultTrack, submitJob } from '@holosoma/engine'
import { answer, body, database, idFrom, Refusal } from '@/lib/server'
import { reachOfAgain } from '@/stations/skin/again'

const schema = Joi.object<{ leave: number[] }>({
  leave: Joi.array().items(Joi.number().integer().min(1)).max(2000).default([]),
})

/** Does the acts of the skin before again on the one that stands, but for those a person leaves out. */
export function POST(request: Request, { params }: { params: Promise<{ id: string }> }): Promise<Response> {
  return answer(async () => {
    const db = database()
    const id = idFrom((await params).id)
    const { leave } = await body(request, schema)
    const pieceId = await pieceOfResult(db, id)
    const state = pieceId === null ? null : await pieceState(db, pieceId)
    const result = state?.results.find((r) => r.id === id)
    if (!state || !result) throw new Refusal(404, 'That result is not here.')
    if (!result.later) throw new Refusal(409, 'No act of an earlier skin waits to be done again.')
    const track = resultTrack(id)
    if (await isBusy(db, state.piece.id, [track]))
      throw new Refusal(409, 'That is being worked on just now; wait until it ends, or cancel it.')
    const job = await submitJob(
      db,
      state.piece.id,
      track,
      `Doing ${result.later.acts.length - leave.length} later acts again`,
      {
        kind: 'again',
        mesh: result.shape.hash,
        from: result.later.from,
        to: result.chain[0].id,
        acts: result.later.acts.map(({ step }) => ({ step, leave: leave.includes(step) })),
        withinMm: reachOfAgain(state, result),
      },
      state.heads[track] ?? null,
    )
    return Response.json({ id: job }, { status: 202 })
  })
}
