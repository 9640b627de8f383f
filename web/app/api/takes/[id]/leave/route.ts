import Joi from 'joi'
import { leaveProposal } from '@holosoma/engine'
import { answer, body, database, idFrom } from '@/lib/server'
import { ACT_NAMES } from '@/lib/tidying'

const schema = Joi.object<{ act: string }>({
  act: Joi.string()
    .valid(...Object.keys(ACT_NAMES))
    .required(),
})

/** An act that is proposed for a take is not wanted. */
export function POST(request: Request, { params }: { params: Promise<{ id: string }> }): Promise<Response> {
  return answer(async () => {
    const { act } = await body(request, schema)
    return Response.json(
      { step: await leaveProposal(database(), idFrom((await params).id), act, ACT_NAMES[act].toLowerCase()) },
      { status: 201 },
    )
  })
}
