import Joi from 'joi'
import { updateResult, type ResultChange } from '@holosoma/engine'
import { removalRoutes } from '@/lib/removal-routes'
import { nameSchema } from '@/lib/schemas'
import { answer, body, database, idFrom, Refusal } from '@/lib/server'

const schema = Joi.object<ResultChange>({
  name: nameSchema('resultName').trim().min(1).label('The name'),
  purpose: nameSchema('purpose').trim().allow(''),
  note: nameSchema('resultNote').trim().allow(''),
  shown: Joi.valid(true),
  binned: Joi.boolean(),
  hidden: Joi.boolean(),
}).or('name', 'purpose', 'note', 'shown', 'binned', 'hidden')

/** Names a result, writes beside it what it is for, makes it the skin, hides it, puts it into the bin or takes it out. */
export function PATCH(request: Request, { params }: { params: Promise<{ id: string }> }): Promise<Response> {
  return answer(async () => {
    const change = await body(request, schema)
    if (!(await updateResult(database(), idFrom((await params).id), change)))
      throw new Refusal(404, 'That result is not here.')
    return Response.json({ ok: true })
  })
}

export const { GET, DELETE } = removalRoutes('result')
