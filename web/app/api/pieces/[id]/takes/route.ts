import Joi from 'joi'
import { updateTakes, type TakesChange } from '@holosoma/engine'
import { nameSchema } from '@/lib/schemas'
import { answer, body, database, existingPiece, Refusal } from '@/lib/server'

const schema = Joi.object<TakesChange & { takeIds: number[] }>({
  takeIds: Joi.array()
    .items(
      Joi.number()
        .integer()
        .min(1)
        .max(2 ** 31 - 1),
    )
    .min(1)
    .max(5000)
    .required(),
  hidden: Joi.boolean(),
  locked: Joi.boolean(),
  inJoin: Joi.boolean(),
  inSkin: Joi.boolean(),
  binned: Joi.boolean(),
  pose: nameSchema('pose').trim().allow(''),
}).or('hidden', 'locked', 'inJoin', 'inSkin', 'binned', 'pose')

/** Changes several takes as one: all of them, or none. */
export function PATCH(request: Request, { params }: { params: Promise<{ id: string }> }): Promise<Response> {
  return answer(async () => {
    const pieceId = await existingPiece((await params).id)
    const { takeIds, ...change } = await body(request, schema)
    if (!(await updateTakes(database(), pieceId, takeIds, change)))
      throw new Refusal(404, 'One of these takes is not here.')
    return Response.json({ ok: true })
  })
}
