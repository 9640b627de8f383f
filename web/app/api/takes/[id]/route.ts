import Joi from 'joi'
import { updateTake, type TakeChange } from '@holosoma/engine'
import { removalRoutes } from '@/lib/removal-routes'
import { nameSchema } from '@/lib/schemas'
import { answer, body, database, idFrom, Refusal } from '@/lib/server'

const schema = Joi.object<TakeChange>({
  name: nameSchema('takeName').trim().min(1).label('The name'),
  was: nameSchema('takeName').allow(''),
  pose: nameSchema('pose').trim().allow(''),
  hidden: Joi.boolean(),
  inJoin: Joi.boolean(),
  inSkin: Joi.boolean(),
  binned: Joi.boolean(),
  locked: Joi.boolean(),
  fixed: Joi.valid(true),
  bench: Joi.boolean(),
  keepBase: Joi.boolean(),
  pigment: Joi.number().integer().min(0).max(11).allow(null),
}).or('name', 'pose', 'hidden', 'inJoin', 'inSkin', 'binned', 'locked', 'fixed', 'bench', 'keepBase', 'pigment')

export function PATCH(request: Request, { params }: { params: Promise<{ id: string }> }): Promise<Response> {
  return answer(async () => {
    const change = await body(request, schema)
    if (!(await updateTake(database(), idFrom((await params).id), change)))
      throw new Refusal(404, 'That take is not here.')
    return Response.json({ ok: true })
  })
}

export const { GET, DELETE } = removalRoutes('take')
