import Joi from 'joi'
import { writeBrief } from '@holosoma/engine'
import { answer, body, database, existingPiece } from '@/lib/server'

const schema = Joi.object<{ content: unknown }>({ content: Joi.object().required() })

/** Saves the brief; what is wrong with it is said in one sentence and nothing is changed. */
export function PUT(request: Request, { params }: { params: Promise<{ id: string }> }): Promise<Response> {
  return answer(async () => {
    const pieceId = await existingPiece((await params).id)
    const { content } = await body(request, schema)
    return Response.json({ step: await writeBrief(database(), pieceId, content) })
  })
}
