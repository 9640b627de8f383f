import Joi from 'joi'
import { baseSchema } from '@/lib/schemas'
import { writePlan, type Base, type Outlook } from '@holosoma/engine'
import { answer, body, database, existingPiece } from '@/lib/server'

const schema = Joi.object<{ content: unknown; base?: Base; outlook?: Outlook }>({
  content: Joi.object().required(),
  base: baseSchema,
  outlook: Joi.object({
    verdict: Joi.string().valid('sound', 'doubtful', 'unsound').required(),
    figure: Joi.string().max(80).allow('').required(),
    text: Joi.string().max(600).allow('').required(),
  }),
})

/** Saves the plan as a version. */
export function PUT(request: Request, { params }: { params: Promise<{ id: string }> }): Promise<Response> {
  return answer(async () => {
    const pieceId = await existingPiece((await params).id)
    const { content, outlook, base } = await body(request, schema)
    return Response.json(await writePlan(database(), pieceId, content, outlook ?? null, base))
  })
}
