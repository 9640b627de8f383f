import Joi from 'joi'
import { baseSchema } from '@/lib/schemas'
import { writeParts, type Base } from '@holosoma/engine'
import { answer, body, database, existingPiece } from '@/lib/server'

const schema = Joi.object<{ content: unknown; base?: Base }>({
  content: Joi.object().required(),
  base: baseSchema,
})

/** Saves the parts of the skin that are kept by name as a version. */
export function PUT(request: Request, { params }: { params: Promise<{ id: string }> }): Promise<Response> {
  return answer(async () => {
    const pieceId = await existingPiece((await params).id)
    const { content, base } = await body(request, schema)
    return Response.json(await writeParts(database(), pieceId, content, base))
  })
}
