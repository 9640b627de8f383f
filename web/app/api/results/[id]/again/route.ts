import Joi from 'joi'
import { isRecipe, isRepeatable } from '@holosoma/core/operations'
import { isBusy, pieceOfResult, pieceState, resultTrack, submitJob, type ResultState } from '@holosoma/engine'
import { answer, body, database, idFrom, Refusal } from '@/lib/server'
import { grownOf } from '@/lib/results'
import { reachOfAgain } from '@/stations/skin/again'

const schema = Joi.object<{ leave: number[]; of: number | null }>({
  leave: Joi.array().items(Joi.number().integer().min(1)).max(2000).default([]),
  of: Joi.number().integer().min(1).allow(null).default(null),
})

/**
 * Does acts again on the result that stands, but for those a person leaves out: those of the skin before, or those of
 * another piece's result.
 */
export function POST(request: Request, { params }: { params: Promise<{ id: string }> }): Promise<Response> {
  return answer(async () => {
    const db = database()
    const id = idFrom((await params).id)
    const { leave, of } = await body(request, schema)
    const { state, result } = await standing(id)
    const other = of === null ? null : (await standing(of)).result
    const acts = other ? other.chain.filter((s) => isRepeatable(s.operation)) : result.later?.acts
    if (!acts?.length)
      throw new Refusal(
        409,
        other ? 'Nothing was done there that can be done here.' : 'No act of an earlier skin waits to be done again.',
      )
    const track = resultTrack(id)
    if (await isBusy(db, state.piece.id, [track]))
      throw new Refusal(409, 'That is being worked on just now; wait until it ends, or cancel it.')
    const first = other?.chain[0]
    const wanted = acts.map((a) => {
      const step = 'step' in a ? a.step : a.id
      return { step, leave: leave.includes(step) || ('operation' in a && !isRecipe(a.operation)) }
    })
    const job = await submitJob(
      db,
      state.piece.id,
      track,
      `Doing ${wanted.filter((a) => !a.leave).length} ${other ? 'acts of another piece' : 'later acts'} again`,
      {
        kind: 'again',
        mesh: result.shape.hash,
        from: first?.id ?? result.later!.from,
        to: result.chain[0].id,
        acts: wanted,
        withinMm: reachOfAgain(state, result),
        // Both as large as they were taken, or both at true size.
        ...(other && { like: { mesh: other.chain[0].outputs.mesh, scale: isSized(result) ? grownOf(other) : 1 } }),
      },
      state.heads[track] ?? null,
    )
    return Response.json({ id: job }, { status: 202 })
  })
}

const isSized = (r: ResultState): boolean => r.chain.some((s) => s.operation === 'size.scale')

async function standing(id: number) {
  const db = database()
  const pieceId = await pieceOfResult(db, id)
  const state = pieceId === null ? null : await pieceState(db, pieceId)
  const result = state?.results.find((r) => r.id === id)
  if (!state || !result) throw new Refusal(404, 'That result is not here.')
  return { state, result }
}
