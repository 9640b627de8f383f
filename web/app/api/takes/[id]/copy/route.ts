import Joi from 'joi'
import { duplicateTake } from '@holosoma/engine'
import { answer, body, database, idFrom, Refusal } from '@/lib/server'

const schema = Joi.object<{ pieceId: number }>({ pieceId: Joi.number().integer().min(1).required() })

/** Doubles a take. */
export function POST(request: Request, { params }: { params: Promise<{ id: string }> }): Promise<Response> {
  return answer(async () => {
    const { pieceId } = await body(request, schema)
    const made = await duplicateTake(database(), pieceId, idFrom((await params).id))
    if (!made) throw new Refusal(404, 'That take is not here.')
    return Response.json(made, { status: 201 })
  })
}
