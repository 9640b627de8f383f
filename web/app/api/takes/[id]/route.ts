import Joi from 'joi'
import { updateTake } from '@holosoma/engine'
import { answer, body, database, idFrom, Refusal } from '@/lib/server'

interface Change { name?: string; pose?: string; hidden?: boolean; locked?: boolean; fixed?: true }

const schema = Joi.object<Change>({
  name: Joi.string().trim().min(1).max(100), pose: Joi.string().trim().max(80), hidden: Joi.boolean(), locked: Joi.boolean(), fixed: Joi.valid(true),
}).min(1)

export function PATCH(request: Request, { params }: { params: Promise<{ id: string }> }): Promise<Response> {
  return answer(async () => {
    const change = await body(request, schema)
    if (!(await updateTake(database(), idFrom((await params).id), change))) throw new Refusal(404, 'That take is not here.')
    return Response.json({ ok: true })
  })
}
