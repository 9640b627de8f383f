import Joi from 'joi'
import { deriveResult, isBusy, pieceState, resultTrack } from '@holosoma/engine'
import { answer, body, database, existingPiece, Refusal } from '@/lib/server'

const schema = Joi.object<{ from: number }>({
  from: Joi.number()
    .integer()
    .min(1)
    .max(2 ** 31 - 1)
    .required(),
})

export const dynamic = 'force-dynamic'

/** The results of a piece, to be held against those of another. */
export function GET(_request: Request, { params }: { params: Promise<{ id: string }> }): Promise<Response> {
  return answer(async () => {
    const pieceId = await existingPiece((await params).id)
    return Response.json((await pieceState(database(), pieceId))?.results ?? [])
  })
}

/** Begins a result beside another, where that one stands. */
export function POST(request: Request, { params }: { params: Promise<{ id: string }> }): Promise<Response> {
  return answer(async () => {
    const db = database()
    const pieceId = await existingPiece((await params).id)
    const { from } = await body(request, schema)
    const result = (await pieceState(db, pieceId))?.results.find((r) => r.id === from)
    if (!result) throw new Refusal(404, 'That result is not here.')
    if (await isBusy(db, pieceId, [resultTrack(from)]))
      throw new Refusal(409, 'That result is being worked on just now; wait until it ends, or cancel it.')
    const { id, name, step, shape } = result
    const made = await deriveResult(db, pieceId, { id, name, stepId: step.id, mesh: shape.hash }, `${name} again`)
    return Response.json(made, { status: 201 })
  })
}
